#include "Gauge.h"

#include <cstdio>

namespace marlwend {

/// Notes the first rise of a shift, and goes.
class FirstRise : public RiseListener {
public:
    explicit FirstRise(Gauge& gauge) : gauge_(gauge) { gauge_.add(this); }
    void risen(int cm) override {
        std::printf("first rise: %d cm\n", cm);
        gauge_.remove(this);
    }

private:
    Gauge& gauge_;
};

/// The slate of one shift.
class KeeperBoard : public RiseListener {
public:
    explicit KeeperBoard(Gauge& gauge) : gauge_(gauge) { gauge_.add(this); }
    void risen(int cm) override { highest_ = std::max(highest_, cm); }
    int highest() const { return highest_; }

private:
    Gauge& gauge_;
    int highest_ = 0;
};

void shift(Gauge& gauge, int cm) {
    FirstRise first(gauge);
    KeeperBoard board(gauge);
    gauge.read(cm);
    gauge.read(0);
    std::printf("highest: %d cm\n", board.highest());
}

}  // namespace marlwend

int main() {
    marlwend::Gauge gauge;
    const int pumps = gauge.onDry([] { std::puts("stop the pumps"); });
    const int keeper = gauge.onDry([] { std::puts("call the keeper"); });
    marlwend::shift(gauge, 240);
    marlwend::shift(gauge, 120);
    gauge.offDry(pumps);
    gauge.offDry(keeper);
}
