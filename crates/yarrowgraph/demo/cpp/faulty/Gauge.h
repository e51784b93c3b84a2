#pragma once
#include <algorithm>
#include <functional>
#include <unordered_map>
#include <vector>

namespace marlwend {

/// Told when the water in a chamber has risen or fallen.
class RiseListener {
public:
    virtual ~RiseListener() = default;
    virtual void risen(int cm) = 0;
};

/// The staff that the water level of a chamber is read from.
class Gauge {
public:
    void add(RiseListener* listener) { listeners_.push_back(listener); }
    void remove(RiseListener* listener) { listeners_.erase(std::find(listeners_.begin(), listeners_.end(), listener)); }

    int onDry(std::function<void()> fn) {
        dry_[++last_] = std::move(fn);
        return last_;
    }
    void offDry(int id) { dry_.erase(id); }

    void read(int cm) {
        if (cm == cm_)
            return;
        cm_ = cm;
        for (RiseListener* listener : listeners_)
            listener->risen(cm);
        if (cm == 0)
            for (const auto& [id, fn] : dry_)
                fn();
    }

private:
    std::vector<RiseListener*> listeners_;
    std::unordered_map<int, std::function<void()>> dry_;
    int cm_ = 0;
    int last_ = 0;
};

}  // namespace marlwend
