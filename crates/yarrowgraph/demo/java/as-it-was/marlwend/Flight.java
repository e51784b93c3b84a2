package marlwend;

/** The staircase of two chambers, and a day on it. */
public final class Flight {
    private final Chamber lower = new Chamber("lower");
    private final Chamber upper = new Chamber("upper");
    private final Weir weir = new Weir(upper, 300);
    private final Gate lowerGate = new Gate(lower, 200);
    private final Gate upperGate = new Gate(upper, 300);
    private final TollDesk desk = new TollDesk(lowerGate, upperGate);
    private int turns;

    private Flight() {
        upper.sluice().setOnWound(t -> turns += t);
    }

    private void shift(int fillings) {
        try (KeeperBoard board = new KeeperBoard(upper, upperGate)) {
            for (int i = 0; i < fillings; i++) {
                upper.fill(180);
                lower.fill(100);
            }
            upper.empty(250);
            board.lines().forEach(System.out::println);
        }
    }

    static Flight open() {
        try (Tape.Span called = Tape.call("marlwend.Flight.open")) {
            return new Flight();
        }
    }

    public static void main(String[] args) {
        Flight flight = open();
        flight.shift(2);
        flight.shift(1);
        System.out.println(flight.desk.taken() + " pence taken, " + flight.weir.spilled() + " cm spilled, " + flight.turns + " turns");
    }
}
