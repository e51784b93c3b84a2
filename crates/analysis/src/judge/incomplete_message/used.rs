//! Where a part of a message is used without asking whether it is there.

use yarrowgraph_ir::{BinaryOp, Node, NodeId, UnaryOp};

use crate::flow::Val;
use crate::program::{Declared, MemberId, Site, Sym};
use crate::state;
use crate::wire::Wiring;

/// So many methods at most hand a message on to each other.
const HANDS: u32 = 3;

/// Where a handler uses a part of what it is told, without asking whether it is there.
pub(super) fn used_unguarded(wiring: &Wiring<'_>, join: usize, told_by: Option<Sym>, position: usize, part: Sym) -> Option<Site> {
    if wiring.in_test(wiring.effects[join].site.member) {
        return None;
    }
    used_from(wiring, wiring.code_told_by(join, told_by)?, position, part, HANDS)
}

/// The same for any code that is handed the message at a position, and for so many methods that it is handed on to.
fn used_from(wiring: &Wiring<'_>, code: Site, position: usize, part: Sym, hands: u32) -> Option<Site> {
    used_in(wiring, code, position, part).or_else(|| used_behind(wiring, code, position, part, hands.checked_sub(1)?))
}

/// The same in a method that the code always hands the message to, and which it asks nothing of before: `tide => this.draw(tide)`.
fn used_behind(wiring: &Wiring<'_>, code: Site, position: usize, part: Sym, hands: u32) -> Option<Site> {
    let program = wiring.program();
    let Site { member, node: root } = code;
    let (body, scope) = (program.body(member)?, program.scope(member));
    let function = scope.function_around(body, root);
    let is_message = |n: NodeId| matches!(wiring.flow.eval_in(member, n), Val::Param(m, f, i) if m == member && f == function && usize::from(i) == position);
    let within = || scope.within(root);
    let reads =
        |n: NodeId| matches!(body.node(n), Node::Member { object, name, .. } if program.sym_in(member, name) == part && is_message(object));
    if within().any(reads) {
        return None;
    }
    within().filter(|n| state::runs_always(body, scope, *n, root)).find_map(|node| {
        let Node::Call { args, .. } = body.node(node) else { return None };
        let at = body.list(args).iter().position(|a| is_message(*a))?;
        let called = wiring.flow.callee(Site { member, node })?.member;
        if !program.ty(program.member(called).owner).heirs.is_empty() {
            return None;
        }
        let inner = Site { member: called, node: program.body(called)?.root? };
        used_from(wiring, inner, at, part, hands)
    })
}

/// Where code uses a part of what its function is handed at a position, without asking whether it is there.
pub(super) fn used_in(wiring: &Wiring<'_>, code: Site, position: usize, part: Sym) -> Option<Site> {
    let program = wiring.program();
    let member = code.member;
    let function = program.scope(member).function_around(program.body(member)?, code.node);
    let is_message = |v: &Val| matches!(v, Val::Param(m, f, i) if *m == member && *f == function && *i as usize == position);
    used_of(wiring, code, &is_message, &|pattern| is_pattern_of(wiring, member, function, position, pattern), part)
}

/// Where code uses a part of a message, without asking whether it is there: of a value that is one, or by a pattern that takes one apart.
pub(super) fn used_of(
    wiring: &Wiring<'_>,
    code: Site,
    is_value: &dyn Fn(&Val) -> bool,
    is_pattern: &dyn Fn(NodeId) -> bool,
    part: Sym,
) -> Option<Site> {
    let program = wiring.program();
    let Site { member, node: root } = code;
    let body = program.body(member)?;
    let scope = program.scope(member);
    let is_message = |n: NodeId| is_value(&wiring.flow.eval_in(member, n));
    let is_getter = |node: NodeId| {
        let call =
            scope.parent(node).filter(|p| matches!(body.node(*p), Node::Call { callee, args, .. } if callee == node && args.len == 0));
        let called = call.and_then(|node| wiring.flow.callee(Site { member, node }));
        call.is_some() && (called.is_some_and(|c| wiring.answers_from(c.member).is_some()) || !program.kit_of(member).traits.fields_called)
    };
    // by the name of the message, or taken apart in the list of parameters
    let is_part = |node: NodeId| match body.node(node) {
        // the getter of its name is the call as a whole
        Node::Member { .. } if is_getter(node) => false,
        Node::Member { object, name, .. } => program.sym_in(member, name) == part && is_message(object),
        // by the getter of its name
        Node::Call { callee, args, .. } if args.len == 0 => match body.node(callee) {
            Node::Member { object, .. } => {
                let gives = match (wiring.flow.callee(Site { member, node }), wiring.flow.eval_in(member, callee)) {
                    (Some(c), _) => wiring.answers_from(c.member).map(|f| program.member(f).name),
                    // of a record, which has one for each part
                    (None, Val::Member(_, f)) => Some(program.member(f).name),
                    (None, Val::Outside(_, name)) if !program.kit_of(member).traits.fields_called => Some(name),
                    _ => None,
                };
                is_message(object) && gives == Some(part)
            }
            _ => false,
        },
        Node::Name(name) => match scope.lookup(name, node) {
            Some(Declared::Local(local)) => {
                let key = scope.parent(local).map(|p| body.node(p));
                matches!(key, Some(Node::Entry { key, .. }) if matches!(body.node(key), Node::Str(k) if program.sym_in(member, k) == part))
                    && scope
                        .parent(local)
                        .and_then(|entry| scope.parent(entry))
                        .is_some_and(|pattern| matches!(body.node(pattern), Node::Pattern { .. }) && is_pattern(pattern))
            }
            _ => false,
        },
        _ => false,
    };
    // what is stated of a part, or what it is taken for, is still it
    let said_of = |n: NodeId| match body.node(n) {
        Node::Unary { op: UnaryOp::NonNull, operand } | Node::Cast { operand, .. } => Some(operand),
        _ => None,
    };
    // by the name under which it is kept: `var kiln = (Kiln) firing.sender();`
    let is_kept_part = |node: NodeId| {
        let Node::Name(name) = body.node(node) else { return false };
        let Some(Declared::Local(local)) = scope.lookup(name, node) else { return false };
        let Node::Local { init: Some(mut value), .. } = body.node(local) else { return false };
        while let Some(operand) = said_of(value) {
            value = operand;
        }
        is_part(value)
    };
    let parts: Vec<NodeId> = scope.within(root).filter(|n| is_part(*n) || is_kept_part(*n)).collect();
    // `if (e.isMove())`, `if (e.kind === 'move')`: which parts there are may go by that
    let of_message = |n: NodeId| matches!(body.node(n), Node::Member { object, .. } if is_message(object));
    let asks_kind = |n: NodeId| match body.node(n) {
        Node::Call { callee, .. } => of_message(callee),
        Node::Binary { op: BinaryOp::Eq | BinaryOp::Ne, left, right } => of_message(left) || of_message(right),
        Node::Switch { subject: Some(subject), .. } => of_message(subject),
        _ => false,
    };
    let sorted = |n: &NodeId| {
        scope.ancestors(*n).any(|around| match body.node(around) {
            Node::If { cond, .. } | Node::Conditional { cond, .. } => state::any_within(body, cond, &asks_kind),
            Node::Switch { .. } => asks_kind(around),
            _ => false,
        })
    };
    if !parts.is_empty() && parts.iter().all(sorted) {
        return None;
    }
    let asks = |n: &NodeId| {
        let mut inner = *n;
        for around in scope.ancestors(*n) {
            match body.node(around) {
                Node::If { cond, .. } | Node::Conditional { cond, .. } if cond == inner => return true,
                Node::Binary { op: BinaryOp::Coalesce | BinaryOp::And | BinaryOp::Or | BinaryOp::Eq | BinaryOp::Ne, .. } => return true,
                Node::Member { optional: true, object, .. } if object == inner => return true,
                Node::Call { optional: true, .. } | Node::TypeTest { .. } => return true,
                Node::Block(_) | Node::Lambda(_) => return false,
                _ => {}
            }
            inner = around;
        }
        false
    };
    if parts.iter().any(asks) {
        return None;
    }
    let relies = |part: &NodeId| {
        let mut n = *part;
        while let Some(around) = scope.parent(n).filter(|p| said_of(*p).is_some()) {
            n = around;
        }
        scope.parent(n).is_some_and(|p| match body.node(p) {
            Node::Member { object, optional: false, .. } => object == n,
            Node::Index { object, keys, .. } => object == n || body.list(keys).contains(&n),
            Node::Call { callee, .. } => callee == n,
            Node::Binary { op: BinaryOp::Sub | BinaryOp::Arithmetic, .. } => {
                scope.parent(p).is_some_and(|q| matches!(body.node(q), Node::Index { .. }))
            }
            _ => false,
        })
    };
    parts.into_iter().find(relies).map(|node| Site { member, node })
}

/// Whether a pattern takes a parameter apart.
fn is_pattern_of(
    wiring: &Wiring<'_>,
    member: MemberId,
    function: Option<yarrowgraph_ir::FunctionId>,
    position: usize,
    pattern: NodeId,
) -> bool {
    let program = wiring.program();
    let Some(body) = program.body(member) else { return false };
    let params = match function {
        Some(f) => &body.function(f).params,
        None => &program.decl(member).params,
    };
    params.get(position).and_then(|p| p.pattern) == Some(pattern)
}

#[cfg(test)]
mod tests {
    use crate::testing::expect;

    const DESK: &str = r#"
//// Desk.java
import java.util.*;
import java.util.function.Consumer;
class Desk {
    record Note(String kind, String berth) {}
    private final List<Consumer<Note>> readers = new ArrayList<>();
    void read(Consumer<Note> fn) { readers.add(fn); }
    void in(String berth) { tell(new Note("in", berth)); }
    void out(String berth) { tell(new Note("out", berth)); }
    void all() { tell(new Note("all", null)); }
    private void tell(Note n) { for (Consumer<Note> fn : readers) fn.accept(n); }
    public static void main(String[] args) {
        Desk desk = new Desk();
        desk.read(n -> System.out.println(n.kind() + n.berth()));
        desk.in("a"); desk.out("a"); desk.all();
    }
}
"#;

    #[test]
    fn what_the_getter_of_a_record_gives_is_shown() {
        expect("incomplete-message", DESK);
    }

    #[test]
    fn what_it_gives_is_asked_for_more() {
        let text = DESK.replace("n.kind() + n.berth()", "n.berth().length()");
        expect("incomplete-message", &text.replace("(\"all\", null)); }", "(\"all\", null)); } //! incomplete-message warning"));
    }
}
