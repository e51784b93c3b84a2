package marlwend;

import java.util.ArrayList;
import java.util.List;

/** The staff that the water level of a chamber is read from. */
final class Gauge {
    private static final String CHANNEL = "marlwend.Gauge.listeners";

    private final String name;
    private final List<RiseListener> listeners = new ArrayList<>();
    private int cm;

    Gauge(String name) {
        this.name = name;
        Tape.made(this);
    }

    String name() {
        return name;
    }

    int level() {
        return cm;
    }

    void addRiseListener(RiseListener listener) {
        Tape.subscribe(CHANNEL, this, listener, "risen");
        listeners.add(listener);
    }

    void removeRiseListener(RiseListener listener) {
        Tape.unsubscribe(CHANNEL, this, listener, "risen");
        listeners.remove(listener);
    }

    /** Reads the staff anew. */
    void read(int cm) {
        if (cm == this.cm) {
            return;
        }
        this.cm = cm;
        announce();
    }

    private void announce() {
        try (Tape.Span raised = Tape.raise(CHANNEL, this, cm)) {
            for (RiseListener listener : List.copyOf(listeners)) {
                try (Tape.Span delivered = Tape.deliver(CHANNEL, this, listener, "risen")) {
                    listener.risen(this, cm);
                }
            }
        }
    }
}
