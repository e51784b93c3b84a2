//! States: the values that a machine's holder can have, as the code names them.

use yarrowgraph_ir::{FunctionId, MemberKind, Node, NodeId, TypeKind};
use yarrowgraph_model::Place;

use super::origins;
use crate::flow::{Flow, Val};
use crate::program::{MemberId, Program, Site, Sym, TypeId};
use crate::wire::lifetime::gives_static_local;

/// A value that stands for a state.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum State {
    /// A constant: of an enumeration, a named number, or an object that a constant holds.
    Constant(MemberId),
    /// Any object of a class.
    Class(TypeId),
    /// A text.
    Text(Sym),
    /// An entry of a constant object that lists names.
    Entry(MemberId, Sym),
    /// A function.
    Function(MemberId),
}

impl State {
    /// Its name, without what it belongs to.
    pub fn name(self, program: &Program) -> String {
        match self {
            State::Constant(m) | State::Function(m) => program.text(program.member(m).name).to_owned(),
            State::Class(t) => program.text(program.ty(t).name).to_owned(),
            State::Text(text) => program.text(text).trim_matches(['"', '\'', '`']).to_owned(),
            State::Entry(_, key) => program.text(key).to_owned(),
        }
    }

    /// Whether it is an empty text, which says that there is none.
    pub fn is_empty_text(self, program: &Program) -> bool {
        matches!(self, State::Text(text) if program.text(text).is_empty())
    }

    /// Where it is declared; none for a text, which stands where it is used.
    pub fn place(self, flow: &Flow<'_>) -> Option<Place> {
        let program = flow.program;
        match self {
            State::Constant(m) | State::Function(m) => Some(program.member_place(m)),
            State::Class(t) => program.type_place(t),
            State::Text(_) => None,
            State::Entry(table, key) => Some(program.place_of(entry_of(flow, table, key)?)),
        }
    }

    /// The code of a function that is a state.
    pub(super) fn function(self, flow: &Flow<'_>) -> Option<(MemberId, Option<FunctionId>)> {
        let State::Function(m) = self else { return None };
        let body = flow.program.body(m)?;
        match body.node(body.root?) {
            Node::Lambda(f) => Some((m, Some(f))),
            _ => Some((m, None)),
        }
    }

    /// Whether an object of it is always the same one.
    pub fn is_single(self) -> bool {
        !matches!(self, State::Class(_))
    }
}

/// The entry of a key in the object that a constant holds.
pub(super) fn entry_of(flow: &Flow<'_>, constant: MemberId, key: Sym) -> Option<Site> {
    let table = flow.listing(constant)?;
    let body = flow.program.body(table.member)?;
    let Node::Object(entries) = body.node(table.node) else { return None };
    let is_it = |e: &&NodeId| matches!(body.node(**e), Node::Entry { key: k, .. } if matches!(body.node(k), Node::Str(n) if flow.program.sym_in(table.member, n) == key));
    body.list(entries).iter().find(is_it).map(|node| Site { member: table.member, node: *node })
}

/// The entries of a constant object that does nothing but list names: texts, numbers, symbols.
pub fn listed(flow: &Flow<'_>, constant: MemberId) -> Option<Vec<Sym>> {
    let table = flow.listing(constant)?;
    let body = flow.program.body(table.member)?;
    let Node::Object(entries) = body.node(table.node) else { return None };
    let mut keys = Vec::new();
    for entry in body.list(entries) {
        let Node::Entry { key, value } = body.node(*entry) else { return None };
        let Node::Str(name) = body.node(key) else { return None };
        let is_symbol = matches!(body.node(value), Node::Call { callee, .. } if matches!(body.node(callee), Node::Name(_)));
        if !is_symbol && !matches!(body.node(value), Node::Str(_) | Node::Num(_) | Node::Plain) {
            return None;
        }
        keys.push(flow.program.sym_in(table.member, name));
    }
    (keys.len() > 1).then_some(keys)
}

/// The state that an expression names; none where it is no constant.
pub fn named(flow: &Flow<'_>, member: MemberId, node: NodeId) -> Option<State> {
    let body = flow.program.body(member)?;
    match body.node(node) {
        Node::Str(name) => return Some(State::Text(flow.program.sym_in(member, name))),
        Node::Null | Node::Num(_) | Node::Bool(_) | Node::Plain | Node::This => return None,
        Node::Cast { operand, .. } => return named(flow, member, operand),
        _ => {}
    }
    of_value(flow, &flow.eval_in(member, node), 4)
}

/// The state that a value is.
pub(super) fn of_value(flow: &Flow<'_>, value: &Val, depth: u32) -> Option<State> {
    let program = flow.program;
    match value {
        Val::Static(m) => constant(flow, *m, depth),
        // a part of an object that is written out under a name, and typed by no more than its parts: `FILL.id`
        Val::Member(of, m) if matches!(**of, Val::Static(_)) && flow.definitions(*m).is_empty() => {
            let entry = flow.entry_of_literal(origins::literal(flow, of, depth)?, program.member(*m).name)?;
            named(flow, entry.member, entry.node)
        }
        // states that their context makes once and keeps
        Val::Member(_, m) => match constant(flow, *m, depth)? {
            class @ State::Class(_) => Some(class),
            State::Constant(_) if flow.type_held(*m).own().is_some() => Some(State::Constant(*m)),
            _ => None,
        },
        Val::New(_) | Val::Literal(_) => {
            let made = flow.type_of(value).own().filter(|t| !program.ty(*t).anonymous);
            // many objects are of an interface by their shape
            made.filter(|t| matches!(value, Val::New(_)) || program.ty(*t).kind != TypeKind::Interface).map(State::Class)
        }
        Val::Str(text) => Some(State::Text(*text)),
        Val::Method(m, _) => Some(State::Function(*m)),
        Val::Outside(of, name) => match **of {
            Val::Static(m) if program.member(m).kind == MemberKind::Field && flow.listing(m).is_some() => Some(State::Entry(m, *name)),
            _ => None,
        },
        // the one object that a class has of itself: `Open::instance()`
        Val::Call(site) if let Some(class) = handed_out(flow, *site) => Some(State::Class(class)),
        // a unique pointer to a new object
        Val::Call(_) | Val::Bound(..) => flow.type_of(value).own().filter(|t| made_by(flow, value, *t)).map(State::Class),
        _ => None,
    }
}

/// The class of which a call hands out the one object that it keeps in a variable of its own.
fn handed_out(flow: &Flow<'_>, call: Site) -> Option<TypeId> {
    let called = flow.callee(call)?.member;
    gives_static_local(flow.program, called).then(|| flow.program.declared_type(called).own()).flatten()
}

/// Whether the value of a call is an object that it makes: `std::make_unique<Shelved>()`.
fn made_by(flow: &Flow<'_>, value: &Val, class: TypeId) -> bool {
    let Val::Call(site) = value else { return false };
    flow.callee(*site).is_none() && flow.program.type_argument(*site).is_some_and(|t| t.own() == Some(class))
}

/// Whether a function makes a value that is like no other: `Symbol('open')`.
fn is_unique(program: &Program, member: MemberId, callee: NodeId) -> bool {
    let Some(Node::Name(name)) = program.body(member).map(|body| body.node(callee)) else { return false };
    program.kit_of(member).pack.unique_values.contains(program.unit_of(member).text(name))
}

/// The state that a constant stands for.
fn constant(flow: &Flow<'_>, m: MemberId, depth: u32) -> Option<State> {
    let program = flow.program;
    let info = program.member(m);
    if info.kind == MemberKind::EnumConstant {
        // an enumeration of one is a class with one object
        let is_constant = |x: &&MemberId| program.member(**x).kind == MemberKind::EnumConstant;
        let is_single = program.ty(info.owner).members.iter().filter(is_constant).count() == 1 && !program.ty(info.owner).bases.is_empty();
        return Some(if is_single { State::Class(info.owner) } else { State::Constant(m) });
    }
    if info.kind == MemberKind::Method {
        return Some(State::Function(m));
    }
    let site = flow.only_definition(m)?;
    let body = program.body(site.member)?;
    match body.node(site.node) {
        Node::Str(_) | Node::Num(_) | Node::Plain | Node::Object(_) => Some(State::Constant(m)),
        Node::Lambda(_) => Some(State::Function(m)),
        Node::New { class: Some(_), .. } => Some(State::Constant(m)),
        Node::Call { callee, .. } if is_unique(program, site.member, callee) => Some(State::Constant(m)),
        Node::New { .. } | Node::Call { .. } => {
            let class = match of_value(flow, &flow.eval(site), depth.checked_sub(1)?)? {
                State::Class(class) => class,
                other => return Some(other),
            };
            // several constants of one class are told apart by their names
            Some(if flow.creations(class).len() > 1 { State::Constant(m) } else { State::Class(class) })
        }
        Node::Name(_) | Node::Member { .. } => of_value(flow, &flow.eval(site), depth.checked_sub(1)?),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::transitions;

    #[test]
    fn the_one_object_that_a_class_keeps_of_itself() {
        let found = transitions(
            r#"//// bell.cpp
class Bell;
struct Phase { virtual ~Phase() = default; virtual void pull(Bell&) {} virtual void still(Bell&) {} };
struct Resting : Phase { static Resting& instance() { static Resting one; return one; } void pull(Bell& bell) override; };
struct Swinging : Phase { static Swinging& instance() { static Swinging one; return one; } void still(Bell& bell) override; };
class Bell {
public:
  void pull() { phase_->pull(*this); }
  void still() { phase_->still(*this); }
  void change(Phase& next) { phase_ = &next; }
private:
  Phase* phase_ = &Resting::instance();
};
void Resting::pull(Bell& bell) { bell.change(Swinging::instance()); }
void Swinging::still(Bell& bell) { bell.change(Resting::instance()); }
"#,
        );
        assert_eq!(found, ["Resting --pull--> Swinging", "Swinging --still--> Resting"]);
    }

    #[test]
    fn constants_that_a_function_has_as_a_class() {
        let found = transitions(
            r#"//// winch.js
function Winch() { this.mode = Winch.STOPPED; }
Winch.STOPPED = 'stopped';
Winch.HAULING = 'hauling';
Winch.prototype.haul = function () { if (this.mode === Winch.STOPPED) this.set(Winch.HAULING); };
Winch.prototype.stop = function () { if (this.mode === Winch.HAULING) this.set(Winch.STOPPED); };
Winch.prototype.set = function (mode) { this.mode = mode; };
module.exports = Winch;
"#,
        );
        assert_eq!(found, ["STOPPED --haul--> HAULING", "HAULING --stop--> STOPPED"]);
    }

    #[test]
    fn what_a_store_commits_by_a_reducer() {
        let found = transitions(
            r#"//// store.ts
type State = { kind: "idle" } | { kind: "paying"; seat: number } | { kind: "booked" };
type Action = { type: "pick"; seat: number } | { type: "paid" } | { type: "cancel" };
type Dispatch = (action: Action) => void;
const initial: State = { kind: "idle" };
function reduce(state: State = initial, action: Action): State {
  switch (state.kind) {
    case "idle": return action.type === "pick" ? { kind: "paying", seat: action.seat } : state;
    case "paying":
      if (action.type === "paid") return { kind: "booked" };
      return action.type === "cancel" ? initial : state;
    default: return state;
  }
}
export class Store {
  private state: State = initial;
  private readonly run: Dispatch;
  constructor(wrap: (next: Dispatch) => Dispatch) { this.run = wrap((action) => this.commit(action)); }
  dispatch(action: Action) { this.run(action); }
  private commit(action: Action) { this.state = reduce(this.state, action); }
}
"#,
        );
        assert_eq!(found, ["idle --pick--> paying", "paying --paid--> booked", "paying --cancel--> idle"]);
    }

    #[test]
    fn functions_for_each_pair_of_state_and_message() {
        let found = transitions(
            r#"//// kiln.cpp
#include <variant>
struct Cold {}; struct Smouldering { int chips; }; struct Spent {};
using Fire = std::variant<Cold, Smouldering, Spent>;
struct Light { int chips; }; struct Ash {}; struct Rake {};
using Input = std::variant<Light, Ash, Rake>;
template <class... Ts> struct overloaded : Ts... { using Ts::operator()...; };
class Kiln {
public:
  void feed(const Input& in) {
    fire_ = std::visit(overloaded{
      [](const auto& s, const auto&) -> Fire { return s; },
      [](const Cold&, const Light& l) -> Fire { return Smouldering{l.chips}; },
      [](const Smouldering&, const Ash&) -> Fire { return Spent{}; },
      [](const Spent&, const Rake&) -> Fire { return Cold{}; },
    }, fire_, in);
  }
private:
  Fire fire_ = Cold{};
};
"#,
        );
        assert_eq!(found, ["Cold --Light--> Smouldering", "Smouldering --Ash--> Spent", "Spent --Rake--> Cold"]);
    }
}
