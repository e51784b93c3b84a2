package marlwend;

/** Told when the water in a chamber has risen or fallen. */
interface RiseListener {
    void risen(Gauge gauge, int cm);
}
