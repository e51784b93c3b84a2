package marlwend;

/** One chamber of the staircase, with its gauge and its sluice. */
final class Chamber {
    private final Gauge gauge;
    private final Sluice sluice = new Sluice();

    Chamber(String name) {
        gauge = new Gauge(name);
    }

    Gauge gauge() {
        return gauge;
    }

    Sluice sluice() {
        return sluice;
    }

    void fill(int cm) {
        try (Tape.Span called = Tape.call("marlwend.Chamber.fill", this, cm)) {
            sluice.wind(cm / 10);
            gauge.read(gauge.level() + cm);
            sluice.drop();
        }
    }

    void empty(int cm) {
        try (Tape.Span called = Tape.call("marlwend.Chamber.empty", this, cm)) {
            gauge.read(gauge.level() - cm);
        }
    }
}
