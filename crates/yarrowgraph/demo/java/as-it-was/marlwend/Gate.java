package marlwend;

import java.util.ArrayList;
import java.util.List;

/** The lower gate of a chamber; it swings when the water on both sides is level. */
final class Gate implements RiseListener {
    /** Told when the gate has swung. */
    interface SwingListener {
        void swung(Gate gate);
    }

    private static final String CHANNEL = "marlwend.Gate.swings";

    private final String name;
    private final int level;
    private final List<SwingListener> swings = new ArrayList<>();

    Gate(Chamber chamber, int level) {
        this.name = chamber.gauge().name();
        this.level = level;
        chamber.gauge().addRiseListener(this);
    }

    String name() {
        return name;
    }

    void addSwingListener(SwingListener listener) {
        Tape.subscribe(CHANNEL, this, listener, "swung");
        swings.add(listener);
    }

    void removeSwingListener(SwingListener listener) {
        Tape.unsubscribe(CHANNEL, this, listener, "swung");
        swings.remove(listener);
    }

    @Override
    public void risen(Gauge gauge, int cm) {
        if (cm != level) {
            return;
        }
        try (Tape.Span raised = Tape.raise(CHANNEL, this, cm)) {
            for (SwingListener listener : List.copyOf(swings)) {
                try (Tape.Span delivered = Tape.deliver(CHANNEL, this, listener, "swung")) {
                    listener.swung(this);
                }
            }
        }
    }
}
