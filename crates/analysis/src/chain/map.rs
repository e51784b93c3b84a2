//! Chains as the map has them.

use yarrowgraph_ir::{Node, NodeId};
use yarrowgraph_model::{self as model, Passes, Stop};

use super::{Behaviour, Built, Ends, Link, Of, behaviour, conditions, only_thing};
use crate::flow::Val;
use crate::wire::Wiring;

/// The chains of the map.
pub fn chains(wiring: &Wiring<'_>) -> Vec<model::Chain> {
    let mut chains: Vec<model::Chain> = wiring.chains().built.iter().map(|b| chain(wiring, b)).collect();
    chains.sort_by(|a, b| (&a.id, &a.built).cmp(&(&b.id, &b.built)));
    // several on one holder are told apart by their place
    for at in 0..chains.len() {
        let id = chains[at].id.clone();
        let several = chains.iter().filter(|c| c.id == id).count() > 1;
        if several {
            let mut number = 0;
            for chain in chains.iter_mut().filter(|c| c.id == id) {
                number += 1;
                chain.id = format!("{id}~{number}");
            }
        }
    }
    chains
}

fn chain(wiring: &Wiring<'_>, built: &Built) -> model::Chain {
    let (program, links) = (wiring.program(), &wiring.links);
    let holder = match built.of {
        Of::Next(next) => built.holder.or(links.next[next].fields.first().copied()),
        Of::Walk(walk) => built.holder.or(links.walks[walk].list),
        Of::Pipeline(_) => built.holder,
    };
    let entry = match built.of {
        Of::Next(next) => program.text(links.next[next].method).to_owned(),
        Of::Walk(walk) => links.walks[walk].method.map(|m| program.text(m).to_owned()).unwrap_or_default(),
        Of::Pipeline(at) => links.pipelines[at].entry(program, &built.links),
    };
    let asked = built.links.first().and_then(|l| behaviour::asked_by(&wiring.flow, links, built.of, l));
    let request = asked.and_then(|m| {
        let decl = program.decl(m);
        let ty = decl.params.first()?.ty?;
        Some(match program.type_in(m, ty) {
            crate::program::Ty::Own(t, _) => program.type_id(t),
            other => program.type_name(&other).unwrap_or_default().to_owned(),
        })
    });
    let shown = match built.links.split_last() {
        Some((last, before)) if before.len() > 1 && marks_the_end(wiring, last) => before,
        _ => &built.links,
    };
    let done: Vec<Option<Behaviour>> = shown.iter().map(|l| behaviour::of(&wiring.flow, links, built.of, l)).collect();
    let all = matches!(built.of, Of::Walk(walk) if links.walks[walk].ends == Ends::All)
        || matches!(built.of, Of::Next(_)) && done.iter().all(|b| b.is_some_and(|b| b.passes == Passes::Always));
    model::Chain {
        id: match (holder, built.of) {
            (Some(m), _) => program.member_id(m),
            (None, Of::Walk(walk)) => program.member_id(links.walks[walk].walk.member),
            (None, Of::Next(next)) => program.type_id(links.next[next].base),
            (None, Of::Pipeline(at)) => program.member_id(links.pipelines[at].member),
        },
        request: request.unwrap_or_default(),
        entry,
        stop: match built.of {
            _ if all => Stop::All,
            Of::Walk(walk) if links.walks[walk].ends == Ends::Nothing => Stop::FirstFailure,
            _ => Stop::FirstHandled,
        },
        links: shown.iter().zip(done).map(|(l, b)| link(wiring, built.of, l, b)).collect(),
        ring: built.ring.is_some(),
        built: {
            let mut places: Vec<model::Place> = built.set.iter().map(|s| program.place_of(*s)).collect();
            places.dedup();
            places
        },
    }
}

/// Whether a link is a function that does nothing with a request, and stands for there being no more links: `() => Promise.resolve()`.
fn marks_the_end(wiring: &Wiring<'_>, link: &Link) -> bool {
    let program = wiring.program();
    let Some(Val::Lambda(member, function)) = link.function else { return false };
    let Some(body) = program.body(member) else { return false };
    let Some(root) = body.function(function).body else { return false };
    let of_library = |n: NodeId| matches!(body.node(n), Node::Name(_)) && matches!(wiring.flow.eval_in(member, n), Val::Global(_));
    match body.node(only_thing(body, root)) {
        Node::Null => true,
        Node::Block(list) => list.len == 0,
        Node::Name(name) => program.unit_of(member).text(name) == "undefined",
        Node::Member { object, .. } => of_library(object),
        Node::Call { callee, args, .. } => args.len == 0 && matches!(body.node(callee), Node::Member { object, .. } if of_library(object)),
        _ => false,
    }
}

fn link(wiring: &Wiring<'_>, of: Of, link: &Link, done: Option<Behaviour>) -> model::ChainLink {
    let program = wiring.program();
    let (handler, place) = match (link.class, &link.function) {
        (Some(class), _) => (program.type_id(class), program.type_place(class).unwrap_or_else(|| program.place_of(link.made))),
        (None, Some(Val::Method(m, _))) => (program.member_id(*m), program.member_place(*m)),
        (None, Some(function)) => (wiring.flow.show(function), program.place_of(link.made)),
        (None, None) => (crate::written::expression(program, link.made), program.place_of(link.made)),
    };
    let conditions = conditions::of(&wiring.flow, &wiring.links, of, link, done);
    let asked_for = wiring.links.asked_for(program, of, link);
    let done = done.unwrap_or(Behaviour { passes: Passes::Sometimes, stops: true });
    model::ChainLink { handler, place, passes: done.passes, stops: done.stops, conditions, asked_for }
}

#[cfg(test)]
mod tests {
    use crate::testing::map;

    /// The links of the only chain, each with its conditions.
    fn links(text: &str) -> Vec<(String, Vec<String>)> {
        let map = map(text);
        let [chain] = &map.chains[..] else { panic!("one chain, not {:?}", map.chains) };
        chain.links.iter().map(|l| (l.handler.clone(), l.conditions.clone())).collect()
    }

    fn said(links: &[(&str, &[&str])]) -> Vec<(String, Vec<String>)> {
        links.iter().map(|(l, c)| ((*l).to_owned(), c.iter().map(|c| (*c).to_owned()).collect())).collect()
    }

    #[test]
    fn what_a_base_asks_before_it_passes_on() {
        let source = |pass: &str| {
            format!(
                "//// Seeds.cs\nrecord Lot(int Grams);\n\
                 abstract class Check {{\n  Check? next;\n  public Check Then(Check check) {{ next = check; return check; }}\n\
                   public string? Examine(Lot lot) {{ var no = Judge(lot); {pass} }}\n  protected abstract string? Judge(Lot lot);\n}}\n\
                 class Germ : Check {{ protected override string? Judge(Lot lot) => lot.Grams < 5 ? \"few\" : null; }}\n\
                 class Pest : Check {{ protected override string? Judge(Lot lot) => lot.Grams > 90 ? \"many\" : null; }}\n\
                 class Desk {{ static void Main() {{ var first = new Germ(); first.Then(new Pest()); first.Examine(new Lot(3)); }} }}\n"
            )
        };
        for pass in ["return no ?? next?.Examine(lot);", "if (no != null || next == null) return no; return next.Examine(lot);"] {
            assert_eq!(links(&source(pass)), said(&[("Germ", &["no != null"]), ("Pest", &["no != null"])]), "{pass}");
        }
    }

    #[test]
    fn functions_that_a_fold_wraps_up_to_one_that_only_marks_the_end() {
        let text = "//// sorter.js\n\
            function express(letter, next) { if (letter.stamp >= 5) return 'bag 1'; return next(letter); }\n\
            function bulky(letter, next) { if (letter.grams > 500) return 'cage'; return next(letter); }\n\
            function chain(...handlers) {\n\
              return handlers.reduceRight((next, handler) => (letter) => handler(letter, next), () => undefined);\n}\n\
            export const sort = chain(express, bulky);\nsort({ stamp: 1 });\n";
        let expected = said(&[("sorter.express", &["letter.stamp >= 5"]), ("sorter.bulky", &["letter.grams > 500"])]);
        assert_eq!(links(text), expected);
    }

    #[test]
    fn links_of_a_class_that_the_call_names() {
        let text = "//// Line.cs\nusing System;\nusing System.Collections.Generic;\npublic record Sample(double First);\n\
            public interface IStep { void Handle(Sample sample, Action<Sample> next); }\n\
            public class Flag : IStep { public void Handle(Sample sample, Action<Sample> next) { if (sample.First > 3) next(sample); } }\n\
            public class Store : IStep { public void Handle(Sample sample, Action<Sample> next) { Console.WriteLine(sample); } }\n\
            public class Line {\n  readonly List<IStep> steps = new();\n\
              public Line Add<T>() where T : IStep, new() { steps.Add(new T()); return this; }\n\
              public void Run(Sample sample) { void Go(int i, Sample s) { if (i < steps.Count) steps[i].Handle(s, n => Go(i + 1, n)); } Go(0, sample); }\n\
              static void Main() { new Line().Add<Flag>().Add<Store>().Run(new Sample(4)); }\n}\n";
        let handlers: Vec<String> = links(text).into_iter().map(|(link, _)| link).collect();
        assert_eq!(handlers, ["Flag", "Store"]);
    }
}
