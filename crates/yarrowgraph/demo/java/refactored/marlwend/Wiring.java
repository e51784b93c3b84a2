package marlwend;

/** Ties what has to hear the water to the gauges, in the order in which it has to act. */
final class Wiring {
    private Wiring() {
    }

    static void listen(Chamber chamber, RiseListener... listeners) {
        for (RiseListener listener : listeners) {
            chamber.gauge().addRiseListener(listener);
        }
    }
}
