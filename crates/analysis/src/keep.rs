//! What a project states must stay so, and which names of the tree it means.

use std::collections::BTreeSet;

use crate::program::{MemberId, Program, TypeId};

/// A statement of what must stay so.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Keep {
    /// Handlers or links that come in this order wherever they are on one channel or chain.
    Order(Vec<String>),
    /// What every way to the other must pass.
    Through {
        /// What must be passed.
        through: String,
        /// Where the ways lead.
        to: String,
    },
    /// Types that may not know each other.
    Apart(Vec<String>),
}

/// Whether an id ends in a name, at a part's border.
pub fn ends_in(id: &str, name: &str) -> bool {
    let plain = id.split('(').next().unwrap_or(id);
    let border = |rest: &str| rest.is_empty() || rest.ends_with(['.', ':']);
    [id, plain].into_iter().any(|id| id.strip_suffix(name).is_some_and(border))
}

/// The types that a name means.
pub fn types(program: &Program, name: &str) -> Vec<TypeId> {
    let last = name.rsplit('.').next().unwrap_or(name);
    let Some(sym) = program.symbols.get(last) else { return Vec::new() };
    program.types_named(sym).iter().copied().filter(|t| ends_in(&program.type_id(*t), name)).collect()
}

/// The members that a name means.
pub fn members(program: &Program, name: &str) -> Vec<MemberId> {
    let last = name.rsplit('.').next().unwrap_or(name);
    let Some(sym) = program.symbols.get(last) else { return Vec::new() };
    let all = (0..program.members.len()).map(|i| MemberId(i as u32));
    all.filter(|m| program.member(*m).name == sym && ends_in(&program.member_id(*m), name)).collect()
}

/// The names in statements that mean nothing of the tree, each once. Functions without a name of their own are not asked about.
pub fn unknown(program: &Program, keeps: &[Keep]) -> Vec<String> {
    let named: BTreeSet<&String> = keeps
        .iter()
        .flat_map(|keep| match keep {
            Keep::Order(names) | Keep::Apart(names) => names.iter().collect::<Vec<_>>(),
            Keep::Through { through, to } => vec![through, to],
        })
        .collect();
    let is_unknown = |name: &&String| !name.contains(['~', ':']) && types(program, name).is_empty() && members(program, name).is_empty();
    named.into_iter().filter(is_unknown).cloned().collect()
}

#[cfg(test)]
mod tests {
    use super::ends_in;

    #[test]
    fn names_end_at_parts() {
        assert!(ends_in("marlwend.Desk.take", "Desk.take"));
        assert!(ends_in("marlwend.Desk.take(int)", "take"));
        assert!(ends_in("Desk", "Desk"));
        assert!(!ends_in("marlwend.FrontDesk", "Desk"));
    }
}
