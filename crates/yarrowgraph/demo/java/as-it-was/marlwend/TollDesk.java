package marlwend;

/** Takes the toll of every boat that a gate lets through. */
final class TollDesk implements Gate.SwingListener {
    private int pence;

    TollDesk(Gate... gates) {
        for (Gate gate : gates) {
            gate.addSwingListener(this);
        }
    }

    int taken() {
        return pence;
    }

    @Override
    public void swung(Gate gate) {
        pence += 6;
    }
}
