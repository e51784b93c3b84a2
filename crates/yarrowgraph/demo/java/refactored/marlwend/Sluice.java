package marlwend;

import java.util.function.IntConsumer;

/** A paddle in the wall of a chamber, wound up to let water in. */
final class Sluice {
    private IntConsumer onWound;
    private int turns;

    /** One helper may lend a hand at the windlass. */
    void setOnWound(IntConsumer helper) {
        onWound = helper;
    }

    void wind(int turns) {
        this.turns += turns;
        if (onWound != null) {
            onWound.accept(this.turns);
        }
    }

    void drop() {
        turns = 0;
    }
}
