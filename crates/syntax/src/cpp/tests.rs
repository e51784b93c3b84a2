//! Fixtures of this front end.

use yarrowgraph_ir::{Language, dump};

fn read(path: &str, text: &str) -> yarrowgraph_ir::Unit {
    crate::read(Language::Cpp, path, text.as_bytes()).expect("readable")
}

#[test]
fn declarations() {
    insta::assert_snapshot!(dump(&read(
        "gauge.h",
        r#"
#pragma once
namespace locks::tide {
enum class Phase { Low, High };
template <class T> struct Level { T cm = 0; };
class LOCK_API Gauge : public QObject, private Named<Gauge> {
    Q_OBJECT
    Q_PROPERTY(int cm READ cm NOTIFY rose)
public:
    using Sink = std::function<void(int)>;
    explicit Gauge(QObject* parent = nullptr, Level<int> first = {});
    ~Gauge() override;
    virtual void reset() = 0;
signals:
    void rose(int cm);
public slots:
    void set(int cm);
private:
    std::vector<std::unique_ptr<Level<int>>> m_levels;
    std::map<std::string, Sink> m_sinks;
    Sink m_sink;
    void (*m_raw)(int) = nullptr;
    static int s_count;
    class Private;
};
inline int depth() { return 3; }
}
"#
    )));
}

#[test]
fn bodies() {
    insta::assert_snapshot!(dump(&read(
        "gauge.cpp",
        r#"
using namespace locks::tide;
int Gauge::s_count = 0;
Gauge::Gauge(QObject* parent, Level<int> first) : QObject(parent), m_sink([this](int cm) { set(cm); }) {
    auto copy = m_levels;
    for (const auto& [name, sink] : m_sinks) sink(1);
    foreach (const Level<int>& l, levels) { use(l); }
    if (auto p = m_weak.lock(); p) p->fill(static_cast<int>(2));
    connect(this, SIGNAL(rose(int)), parent, SLOT(show(int)));
    connect(this, &Gauge::rose, qOverload<int>(&Board::show));
    m_levels.erase(std::remove(m_levels.begin(), m_levels.end(), first), m_levels.end());
    m_owner = std::make_unique<Level<int>>(4);
    m_bound = std::bind(&Gauge::set, this, _1);
    Level<int> made{1}, other;
    switch (m_phase) { case Phase::Low: m_phase = Phase::High; break; default: throw Odd("x"); }
    emit rose(cm);
#ifdef LOUD
    beep();
#else
    hush();
#endif
    this->Named::close();
    delete m_raw;
}
namespace { void helper(Gauge& gauge) { gauge.set(*value); } }
"#
    )));
}

#[test]
fn cases_around_conditional_stretches() {
    insta::assert_snapshot!(dump(&read(
        "winch.cpp",
        r#"
Phase begins{Phase::Low};
int turn(int order) {
    switch (order) {
    case 1:
        pull(1);
#ifdef WITH_BRAKE
        { brake(2); }
#endif
        pull(3);
        break;
#if WITH_CHAIN
    case 2:
        return 4;
#else
    case 2:
        return 5;
    case 3:
        return 6;
#endif
    default:
        return 7;
    }
    return 8;
}
"#
    )));
}
