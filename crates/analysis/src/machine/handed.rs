//! States whose class is handed over: as a type argument (`go<Open>()`), or as the class itself (`enter(Open)`), of which the method
//! makes an object.

use yarrowgraph_ir::{Node, TypeRef};

use super::origins::origins;
use super::state::{self, State};
use crate::flow::{Flow, Val, function_run, returned};
use crate::program::{Declared, MemberId, Site, Ty, TypeId};

/// Where a call says of which class an object is made.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Said {
    /// In a type argument, by its position.
    TypeArgument(usize),
    /// In an argument, by its position.
    Argument(usize),
    /// By a function in an argument, which makes the object.
    Maker(usize),
}

/// What calls of the method around an expression say: of which class it makes an object.
pub(super) fn said_by_callers(flow: &Flow<'_>, site: Site) -> Option<Said> {
    let program = flow.program;
    let body = program.body(site.member)?;
    let of_param = |ty: &Ty| {
        let Ty::Param(name, _) = ty else { return None };
        let params = &program.decl(site.member).type_params;
        params.iter().position(|p| program.sym(program.member(site.member).unit, p.name) == *name).map(Said::TypeArgument)
    };
    match body.node(site.node) {
        Node::New { ty, class: None, .. } => of_param(&program.type_in(site.member, ty)).or_else(|| {
            let TypeRef::Named { name, .. } = program.unit_of(site.member).type_ref(ty) else { return None };
            match program.scope(site.member).lookup(*name, site.node)? {
                Declared::Param(None, index) => Some(Said::Argument(usize::from(index))),
                _ => None,
            }
        }),
        Node::Call { type_args: Some(_), .. } if flow.callee(site).is_none() => of_param(&program.type_argument(site)?),
        Node::Cast { operand, .. } | Node::Unary { operand, .. } => said_by_callers(flow, Site { member: site.member, node: operand }),
        Node::Call { callee, args, .. } if flow.callee(site).is_none() => match body.list(args) {
            [] => maker(flow, Site { member: site.member, node: callee }),
            // `std::move(next)`
            [only] => said_by_callers(flow, Site { member: site.member, node: *only }),
            _ => None,
        },
        _ => None,
    }
}

/// The parameter that is called as a function: `make()`, `make.get()`.
fn maker(flow: &Flow<'_>, callee: Site) -> Option<Said> {
    let program = flow.program;
    let body = program.body(callee.member)?;
    let called = function_run(program, callee)?;
    let Node::Name(name) = body.node(called) else { return None };
    match program.scope(callee.member).lookup(name, called)? {
        Declared::Param(None, index) => Some(Said::Maker(usize::from(index))),
        _ => None,
    }
}

/// The class of which a function makes an object, and of no other.
fn made_by(flow: &Flow<'_>, function: Site) -> Option<TypeId> {
    let program = flow.program;
    // `Open::new`
    if let Node::MethodRef { object, name } = program.body(function.member)?.node(function.node)
        && program.unit_of(function.member).text(name) == "new"
    {
        let Val::Type(class) = flow.eval_in(function.member, object) else { return None };
        return Some(class);
    }
    let (m, f) = match flow.function_of(&flow.eval(function))? {
        Val::Lambda(m, f) => (m, Some(f)),
        Val::Method(m, _) => (m, None),
        _ => return None,
    };
    match returned(program, m, f)[..] {
        [only] => match state::named(flow, m, only)? {
            State::Class(class) => Some(class),
            _ => None,
        },
        _ => None,
    }
}

/// The state whose class a call names.
pub(super) fn said_at(flow: &Flow<'_>, call: Site, said: Said) -> Option<State> {
    let class = match said {
        Said::TypeArgument(index) => flow.program.type_argument_at(call, index)?.own()?,
        Said::Argument(index) => match flow.eval(flow.argument(call, index)?) {
            Val::Type(class) => class,
            _ => return None,
        },
        Said::Maker(index) => made_by(flow, flow.argument(call, index)?)?,
    };
    Some(State::Class(class))
}

/// The states whose classes the calls of a method name, where an expression makes an object of what they say.
pub(super) fn named_by_callers(flow: &Flow<'_>, site: Site) -> Vec<State> {
    let Some(said) = said_by_callers(flow, site) else { return Vec::new() };
    flow.call_sites(site.member).iter().filter_map(|call| said_at(flow, *call, said)).collect()
}

/// The calls that say so of what comes to a field.
pub(super) fn calls_that_say<'f>(flow: &'f Flow<'_>, field: MemberId) -> impl Iterator<Item = Site> + 'f {
    let made = flow.definitions(field).iter().flat_map(|d| origins(flow, *d));
    made.filter(|o| said_by_callers(flow, *o).is_some()).flat_map(|o| flow.call_sites(o.member).iter().copied())
}

#[cfg(test)]
mod tests {
    use crate::testing::transitions;

    const EXPECTED: [&str; 2] = ["Shut --hail--> Open", "Open --clear--> Shut"];

    #[test]
    fn as_a_type_argument() {
        let found = transitions(
            r#"//// bridge.cpp
#include <memory>
class Bridge;
struct Leaf { virtual ~Leaf() = default; virtual void hail(Bridge&) {} virtual void clear(Bridge&) {} };
class Bridge {
  std::unique_ptr<Leaf> leaf_;
public:
  Bridge();
  void hail() { leaf_->hail(*this); }
  void clear() { leaf_->clear(*this); }
  template <class L> void go() { leaf_ = std::make_unique<L>(); }
};
struct Shut : Leaf { void hail(Bridge& bridge) override; };
struct Open : Leaf { void clear(Bridge& bridge) override; };
void Shut::hail(Bridge& bridge) { bridge.go<Open>(); }
void Open::clear(Bridge& bridge) { bridge.go<Shut>(); }
Bridge::Bridge() { go<Shut>(); }
"#,
        );
        assert_eq!(found, EXPECTED);
    }

    #[test]
    fn as_a_type_argument_with_a_constraint() {
        let found = transitions(
            r#"//// Bridge.cs
abstract class Leaf { public virtual void hail(Bridge bridge) { } public virtual void clear(Bridge bridge) { } }
class Shut : Leaf { public override void hail(Bridge bridge) => bridge.Go<Open>(); }
class Open : Leaf { public override void clear(Bridge bridge) => bridge.Go<Shut>(); }
class Bridge {
    Leaf leaf;
    public Bridge() { Go<Shut>(); }
    public void hail() => leaf.hail(this);
    public void clear() => leaf.clear(this);
    public void Go<L>() where L : Leaf, new() { leaf = new L(); }
}
"#,
        );
        assert_eq!(found, EXPECTED);
    }

    #[test]
    fn as_the_class_itself() {
        let found = transitions(
            r#"//// bridge.js
class Leaf { hail(bridge) {} clear(bridge) {} }
class Shut extends Leaf { hail(bridge) { bridge.go(Open); } }
class Open extends Leaf { clear(bridge) { bridge.go(Shut); } }
export class Bridge {
  constructor() { this.leaf = new Shut(); }
  go(Next) { this.leaf = new Next(); }
  hail() { this.leaf.hail(this); }
  clear() { this.leaf.clear(this); }
}
"#,
        );
        assert_eq!(found, EXPECTED);
    }

    #[test]
    fn by_a_function_that_makes_it() {
        let found = transitions(
            r#"//// Bridge.java
import java.util.function.Supplier;
abstract class Leaf { void hail(Bridge bridge) {} void clear(Bridge bridge) {} }
class Shut extends Leaf { @Override void hail(Bridge bridge) { bridge.go(Open::new); } }
class Open extends Leaf { @Override void clear(Bridge bridge) { bridge.go(() -> new Shut()); } }
class Bridge {
    private Leaf leaf = new Shut();
    void go(Supplier<? extends Leaf> next) { leaf = next.get(); }
    void hail() { leaf.hail(this); }
    void clear() { leaf.clear(this); }
}
"#,
        );
        assert_eq!(found, EXPECTED);
    }
}
