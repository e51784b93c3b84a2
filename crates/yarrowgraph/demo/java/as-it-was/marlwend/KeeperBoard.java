package marlwend;

import java.util.ArrayList;
import java.util.List;

/** The slate on which the keeper of one shift notes what the water does. */
final class KeeperBoard implements RiseListener, Gate.SwingListener, AutoCloseable {
    private final List<String> lines = new ArrayList<>();
    private final Chamber chamber;
    private final Gate gate;

    KeeperBoard(Chamber chamber, Gate gate) {
        this.chamber = chamber;
        this.gate = gate;
        chamber.gauge().addRiseListener(this);
        gate.addSwingListener(this);
    }

    List<String> lines() {
        return lines;
    }

    @Override
    public void risen(Gauge gauge, int cm) {
        lines.add(gauge.name() + " at " + cm + " cm");
    }

    @Override
    public void swung(Gate gate) {
        lines.add(gate.name() + " gate swung");
    }

    @Override
    public void close() {
        chamber.gauge().removeRiseListener(this);
        gate.removeSwingListener(this);
    }
}
