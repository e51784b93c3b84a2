package marlwend;

/** Lets water over its crest when a chamber is too full. It has to act before the gate looks. */
final class Weir implements RiseListener {
    private final int crest;
    private int spilled;

    Weir(Chamber chamber, int crest) {
        this.crest = crest;
        chamber.gauge().addRiseListener(this);
    }

    int spilled() {
        return spilled;
    }

    @Override
    public void risen(Gauge gauge, int cm) {
        if (cm > crest) {
            spilled += cm - crest;
            gauge.read(crest);
        }
    }
}
