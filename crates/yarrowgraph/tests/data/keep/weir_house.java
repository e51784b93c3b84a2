//// yarrowgraph.toml
[[keep]]
order = ["Frost", "Wind"]

[[keep]]
through = "Gatehouse"
to = "Sluice.open"

[[keep]]
apart = ["Keeper", "Toll"]
//// weir/Weir.java
package weir;

import java.util.ArrayList;
import java.util.List;

interface Check { boolean stops(int flow); }

class Frost implements Check { public boolean stops(int flow) { return flow < 1; } }

class Wind implements Check { public boolean stops(int flow) { return flow > 90; } }

class Level implements Check { public boolean stops(int flow) { return flow > 70; } }

class Sluice {
    private int open;
    void open(int notches) { open += notches; }
    int opened() { return open; }
}

class Toll {
    private int pence;
    void take(int p) { pence += p; }
}

class Gatehouse {
    private final Sluice sluice;
    private final List<Check> checks = new ArrayList<>();

    Gatehouse(Sluice sluice) {
        this.sluice = sluice;
        checks.add(new Wind()); //! broken-keep
        checks.add(new Level());
        checks.add(new Frost());
    }

    boolean ask(int flow, int notches) {
        for (Check c : checks) {
            if (c.stops(flow)) return false;
        }
        sluice.open(notches);
        return true;
    }
}

class Keeper {
    private final Gatehouse house;
    private final Sluice sluice;

    Keeper(Gatehouse house, Sluice sluice) { this.house = house; this.sluice = sluice; }

    void morning() { house.ask(20, 2); }

    void night() {
        sluice.open(1); //! broken-keep
    }

    void pay(Toll toll) { //! broken-keep
        toll.take(3);
    }
}

public class Weir {
    public static void main(String[] args) {
        Sluice sluice = new Sluice();
        Keeper keeper = new Keeper(new Gatehouse(sluice), sluice);
        keeper.morning();
        keeper.night();
        keeper.pay(new Toll());
        System.out.println(sluice.opened());
    }
}
