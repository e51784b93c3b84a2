//! Whether keys of tables fit a state, a message, or several of both.

use yarrowgraph_ir::{BinaryOp, Body, Node, NodeId};

use super::conditions::at;
use super::filled;
use super::state::{self, State};
use super::table::{Key, Written};
use super::walk::Walker;
use super::way::{Value, Way};
use crate::program::{Sym, words};

impl Walker<'_, '_> {
    pub(super) fn key_fits(&mut self, value: &Value, key: &Key, way: Way) -> Vec<(Way, bool)> {
        match key {
            Key::Text(text) => self.text_fits(value, *text, way),
            Key::Node(site) => self.fits_key(value, *site, way),
        }
    }

    /// Whether a value is what the text of a key says; of several values the parts of the text.
    fn text_fits(&mut self, value: &Value, text: Sym, way: Way) -> Vec<(Way, bool)> {
        match value {
            Value::Held => match self.domain.find(self.flow, State::Text(text)) {
                Some(bits) => at(way, bits),
                None => vec![(way, false)],
            },
            Value::State(bits, ..) => {
                let found = self.domain.find(self.flow, State::Text(text));
                let fits = found.is_some_and(|b| b & bits != 0);
                vec![(way, fits)]
            }
            Value::Named(State::Text(named), ..) => vec![(way, *named == text)],
            Value::Message(at) => {
                // the name of a constant serves as its text
                let site = self.site(yarrowgraph_ir::NodeId::new(0));
                self.message_is(*at, State::Text(text), way, site.node)
            }
            Value::Several(values) => {
                let program = self.flow.program;
                let whole = program.text(text).to_owned();
                let parts: Vec<&str> = words(&whole).collect();
                self.all_fit(values, &parts, way, |walker, value, part, way| match program.symbols.get(part) {
                    Some(part) => walker.text_fits(value, part, way),
                    None => vec![(way, false)],
                })
            }
            _ => vec![(way, false)],
        }
    }

    /// Whether a value is what a key says that is written at a place.
    pub(super) fn fits_key(&mut self, value: &Value, key: Written, way: Way) -> Vec<(Way, bool)> {
        let key = filled::given(self.flow, key);
        let Some(body) = self.flow.program.body(key.at.member) else { return vec![(way, false)] };
        let node = key.at.node;
        match (value, body.node(node)) {
            (_, Node::Opaque(parts)) if body.list(parts).len() == 1 => self.fits_key(value, key.beside(body.list(parts)[0]), way),
            (Value::Several(values), Node::Binary { op: BinaryOp::Add, .. }) => {
                let parts = joined(body, node);
                self.parts_fit(values, key, &parts, way)
            }
            (_, Node::Str(name)) => self.text_fits(value, self.flow.program.sym_in(key.at.member, name), way),
            (
                Value::Several(values),
                Node::Collection { items: parts, .. }
                | Node::New { args: parts, .. }
                | Node::Call { args: parts, .. }
                | Node::Template(parts),
            ) => {
                let spoken =
                    |n: &NodeId| !matches!(body.node(node), Node::Template(_)) || !matches!(body.node(*n), Node::Str(_) | Node::Plain);
                let parts: Vec<NodeId> = body.list(parts).iter().copied().filter(spoken).collect();
                self.parts_fit(values, key, &parts, way)
            }
            (Value::Held, _) => match state::named(self.flow, key.at.member, node).and_then(|s| self.domain.find(self.flow, s)) {
                Some(bits) => at(way, bits),
                None => vec![(way, false)],
            },
            (Value::State(bits, ..), _) => {
                let found = state::named(self.flow, key.at.member, node).and_then(|s| self.domain.find(self.flow, s));
                let fits = found.is_some_and(|b| b & bits != 0);
                vec![(way, fits)]
            }
            (Value::Named(named, ..), _) => {
                let fits = state::named(self.flow, key.at.member, node) == Some(*named);
                vec![(way, fits)]
            }
            (Value::Message(at), _) => match state::named(self.flow, key.at.member, node) {
                Some(named) => self.message_is(*at, named, way, node),
                None => vec![(way, false)],
            },
            _ => vec![(way, false)],
        }
    }

    /// Whether several values are what the parts of a key say, one for one.
    fn parts_fit(&mut self, values: &[Value], key: Written, parts: &[NodeId], way: Way) -> Vec<(Way, bool)> {
        self.all_fit(values, parts, way, |walker, value, part, way| walker.fits_key(value, key.beside(*part), way))
    }

    /// Whether several values fit as many parts, one for one.
    fn all_fit<P>(
        &mut self,
        values: &[Value],
        parts: &[P],
        way: Way,
        fits: impl Fn(&mut Self, &Value, &P, Way) -> Vec<(Way, bool)>,
    ) -> Vec<(Way, bool)> {
        if parts.len() != values.len() {
            return vec![(way, false)];
        }
        let mut open = vec![way];
        let mut out = Vec::new();
        for (value, part) in values.iter().zip(parts) {
            let mut next = Vec::new();
            for way in open {
                for (way, fits) in fits(self, value, part, way) {
                    if fits { next.push(way) } else { out.push((way, false)) }
                }
            }
            open = next;
        }
        out.extend(open.into_iter().map(|w| (w, true)));
        out
    }
}

/// The parts of a text that is put together with `+`, without those that are written out.
pub(super) fn joined(body: &Body, node: NodeId) -> Vec<NodeId> {
    match body.node(node) {
        Node::Binary { op: BinaryOp::Add, left, right } => [joined(body, left), joined(body, right)].concat(),
        Node::Str(_) | Node::Plain => Vec::new(),
        _ => vec![node],
    }
}

/// Whether a key depends on the state or on the message.
pub(super) fn speaks(key: &Value) -> bool {
    match key {
        Value::Held | Value::State(..) | Value::Message(_) => true,
        Value::Several(values) => values.iter().any(speaks),
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::transitions;

    const HIVE: &str = "//// Hive.java
import java.util.*;
class Hive {
    enum State { DORMANT, BUILDING, FLOW }
    enum Event { WARMTH, BLOSSOM, FROST }
    record Key(State state, Event event) {}
    private static final Map<KEY, State> MOVES = new HashMap<>();
    static {
        MOVES.put(KEY(State.DORMANT, Event.WARMTH), State.BUILDING);
        MOVES.put(KEY(State.BUILDING, Event.BLOSSOM), State.FLOW);
        MOVES.put(KEY(State.FLOW, Event.FROST), State.DORMANT);
    }
    private State state = State.DORMANT;
    void handle(Event event) { state = NEXT; }
}
";

    #[test]
    fn keys_of_several_parts_and_what_stands_in_for_no_entry() {
        let keys = ["new Key(state, event)", "List.of(state, event)", "state + \"-\" + event"];
        let nexts = [
            "MOVES.getOrDefault(K, state)",
            "Objects.requireNonNullElse(MOVES.get(K), state)",
            "Optional.ofNullable(MOVES.get(K)).orElse(state)",
        ];
        for key in keys {
            let put = |state: &str, event: &str| key.replace("state", state).replace("event", event);
            let mut source = HIVE.replace("<KEY,", "<Object,");
            for (state, event) in [("State.DORMANT", "Event.WARMTH"), ("State.BUILDING", "Event.BLOSSOM"), ("State.FLOW", "Event.FROST")] {
                source = source.replace(&format!("KEY({state}, {event})"), &put(state, event));
            }
            for next in nexts {
                let moves = transitions(&source.replace("NEXT", &next.replace('K', key)));
                assert_eq!(
                    moves,
                    ["DORMANT --WARMTH--> BUILDING", "BUILDING --BLOSSOM--> FLOW", "FLOW --FROST--> DORMANT"],
                    "{next} {key}"
                );
            }
        }
    }
}
