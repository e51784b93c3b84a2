//// yarrowgraph.toml
[[keep]]
order = ["Logger.turned", "Motor.turned"]

[[keep]]
through = "Brake.release"
to = "Motor.start"

[[keep]]
apart = ["Logger", "Motor"]
//// dome.h
#pragma once
#include <functional>
#include <string>
#include <vector>

class Dome {
public:
    using Ear = std::function<void(double)>;
    void onTurned(Ear ear) { ears.push_back(std::move(ear)); }
    void turn(double by)
    {
        for (auto &ear : ears)
            ear(by);
    }
private:
    std::vector<Ear> ears;
};

class Motor {
public:
    void start(int volts) { running = volts > 0; }
    void turned(double by) { steps += by; }
private:
    bool running = false;
    double steps = 0;
};

class Logger {
public:
    explicit Logger(Motor *motor) : motor(motor) {}  //! broken-keep
    void turned(double by) { lines.push_back(std::to_string(by)); }
private:
    std::vector<std::string> lines;
    Motor *motor;
};

class Brake {
public:
    explicit Brake(Motor &motor) : motor(motor) {}
    void release() { on = false; motor.start(12); }
private:
    Motor &motor;
    bool on = true;
};
//// main.cpp
#include "dome.h"

int main()
{
    Dome dome;
    Motor motor;
    Logger logger(nullptr);
    Brake brake(motor);
    dome.onTurned([&motor](double by) { motor.turned(by); });  //! broken-keep
    dome.onTurned([&logger](double by) { logger.turned(by); });
    brake.release();
    motor.start(24);  //! broken-keep
    dome.turn(10);
}
