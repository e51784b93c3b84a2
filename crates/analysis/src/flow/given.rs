//! Types of parameters that have none written: what the calls hand over.

use std::collections::BTreeSet;
use std::hash::Hash;
use std::sync::Arc;

use rayon::prelude::*;
use rustc_hash::FxHashMap;
use yarrowgraph_ir::{AssignOp, FunctionId, Language, MemberKind, Node, NodeId, ParamMode};

use super::{Flow, Val};
use crate::program::{Declared, Kinds, MemberId, Site, Sym, Ty, TypeId};

/// A parameter: of a member, or of a function that is written in one, by its position.
type Place = (MemberId, Option<FunctionId>, u16);

/// Parameters by their places.
pub(super) type Given = FxHashMap<Place, Ty>;

/// Parameters that are given objects of several classes without a common base.
type Several = FxHashMap<Place, Vec<TypeId>>;

/// So many classes are told apart of what a parameter is given.
const CLASSES: usize = 12;

/// Rounds: how many calls a value is handed through.
const ROUNDS: usize = 3;
/// How far a callee is looked for.
pub(super) const NEAR: u32 = 8;
/// Of a class with more heirs than this, what is handed to a method of its own tells nothing of theirs.
const HEIRS: usize = 200;

/// The types that were found for each place, each once.
pub(super) fn by_place<K: Eq + Hash>(found: Vec<(K, Ty)>) -> FxHashMap<K, Vec<Ty>> {
    let mut places: FxHashMap<K, Vec<Ty>> = FxHashMap::default();
    for (place, ty) in found {
        let types = places.entry(place).or_default();
        if !types.contains(&ty) {
            types.push(ty);
        }
    }
    places
}

/// The classes of the tree that some types are, where that is all they are, and not too many.
fn only_classes(types: &[Ty]) -> Option<Vec<TypeId>> {
    let classes: Option<Vec<TypeId>> = types.iter().map(Ty::own).collect();
    classes.filter(|all| (2..=CLASSES).contains(&all.len()))
}

impl Flow<'_> {
    /// Finds the types that calls give to parameters without a written one, in rounds: what one
    /// round finds tells the next which methods are called.
    pub(super) fn give_params(&mut self) {
        let program = self.program;
        let untyped = |m: MemberId| {
            let traits = program.kit_of(m).traits;
            traits.fits_by_shape || program.decl(m).params.iter().any(|p| p.ty.is_none() || traits.duck_typed)
        };
        // only code of such languages hands anything to such parameters
        let language = |m: MemberId| program.unit_of(m).language;
        let all = (0..program.members.len()).map(|i| MemberId(i as u32));
        let languages: BTreeSet<Language> = all.clone().filter(|m| untyped(*m)).map(language).collect();
        let members: Vec<MemberId> = all.filter(|m| languages.contains(&language(*m))).collect();
        if members.is_empty() {
            return;
        }
        let fillers = self.fillers(&members);
        for _ in 0..ROUNDS {
            let found: Vec<(Place, Ty)> = members.par_iter().flat_map_iter(|m| self.arguments_in(*m)).collect();
            let (mut given, mut several) = (Given::default(), Several::default());
            for (param, types) in by_place(found) {
                match self.taken(param, &types) {
                    Some(ty) => _ = given.insert(param, ty),
                    None => several.extend(only_classes(&types).map(|classes| (param, classes))),
                }
            }
            let kept = self.kept_in(&members, &fillers);
            let settled = given == self.given && kept == self.kept;
            (self.given, self.kept) = (given, kept);
            self.forget_within();
            let stores_more = self.store_through_given(&members, &several);
            self.infer(&members);
            if settled && !stores_more {
                return;
            }
        }
    }

    /// Finds what is stored into members of objects that are known now, by what parameters are given: `ramp.stage = new Raised()`.
    /// Whether any was found.
    fn store_through_given(&mut self, members: &[MemberId], several: &Several) -> bool {
        let by_shape = members.par_iter().filter(|m| self.program.kit_of(**m).traits.fits_by_shape);
        let stores = |m: &MemberId| self.stores(*m, true).into_iter().chain(self.stores_in_several(*m, several));
        let found: Vec<(MemberId, Site)> = by_shape.flat_map_iter(stores).collect();
        let mut is_new = false;
        for (member, site) in found {
            let known = &mut self.definitions[member.0 as usize];
            if !known.contains(&site) {
                known.push(site);
                is_new = true;
            }
        }
        is_new
    }

    /// What is stored into members of a parameter that is given objects of several classes without a base: `clerk.desk = this`.
    fn stores_in_several(&self, member: MemberId, several: &Several) -> Vec<(MemberId, Site)> {
        let program = self.program;
        let Some(body) = program.body_with(member, Kinds::ASSIGN).filter(|_| !several.is_empty()) else { return Vec::new() };
        let mut found = Vec::new();
        for node in body.ids() {
            let Node::Assign { target, value, op: AssignOp::Set } = body.node(node) else { continue };
            let Node::Member { object, name, .. } = body.node(target) else { continue };
            let Node::Name(given) = body.node(object) else { continue };
            let Some(Declared::Param(function, index)) = program.scope(member).lookup(given, object) else { continue };
            let name = program.sym_in(member, name);
            let is_slot = |m: &MemberId| matches!(program.member(*m).kind, MemberKind::Field | MemberKind::Property);
            let classes = several.get(&(member, function, index)).into_iter().flatten();
            let slots = classes.filter_map(|class| program.find_member(*class, name)).filter(is_slot);
            found.extend(slots.map(|slot| (slot, Site { member, node: value })));
        }
        found
    }

    /// The type of a parameter that is handed values of some types: of one that takes the rest of the arguments, the list of them.
    fn taken(&self, (member, function, index): Place, types: &[Ty]) -> Option<Ty> {
        let common = self.common(types)?;
        let takes_rest =
            function.is_none() && self.program.decl(member).params.get(usize::from(index)).is_some_and(|p| p.mode == ParamMode::Rest);
        Some(if takes_rest { Ty::Array(Arc::new(common)) } else { common })
    }

    /// The methods that a call of one may come to: itself, and what heirs have in its place.
    fn with_overrides(&self, method: MemberId) -> Vec<MemberId> {
        let program = self.program;
        let info = program.member(method);
        if info.kind != MemberKind::Method || program.ty(info.owner).heirs.is_empty() {
            return vec![method];
        }
        let heirs = program.heirs_up_to(info.owner, HEIRS).unwrap_or_default();
        let own = |t: TypeId| program.own_members(t, info.name).iter().copied().find(|m| program.member(*m).kind == MemberKind::Method);
        let others = heirs.into_iter().filter(|t| *t != info.owner).filter_map(own);
        std::iter::once(method).chain(others).collect()
    }

    /// The types of the arguments that a body hands to parameters without a written type.
    fn arguments_in(&self, member: MemberId) -> Vec<(Place, Ty)> {
        let program = self.program;
        let mut found = Vec::new();
        let Some(body) = program.body(member) else { return found };
        // data and functions tell nothing of a class
        let tells = |arg: &NodeId| {
            !matches!(
                body.node(*arg),
                Node::Str(_) | Node::Num(_) | Node::Bool(_) | Node::Null | Node::Plain | Node::Template(_) | Node::Lambda(_)
            )
        };
        for index in 0..body.nodes.len() {
            let node = NodeId::new(index);
            let (target, args) = match body.node(node) {
                Node::Call { args, .. } | Node::New { args, .. } if !body.list(args).iter().any(tells) => continue,
                Node::Call { callee, args, .. } if args.len > 0 => {
                    (self.method_called(Site { member, node }, callee, args.len as usize, NEAR).map(|c| c.member), args)
                }
                Node::New { args, .. } if args.len > 0 => {
                    let class = self.type_of_node(member, node).own();
                    (class.and_then(|t| self.constructor_or_base(t, args.len as usize)), args)
                }
                _ => continue,
            };
            let mut targets: Vec<(MemberId, Option<FunctionId>)> =
                target.map_or_else(Vec::new, |target| self.with_overrides(target).into_iter().map(|m| (m, None)).collect());
            if let Node::Call { callee, .. } = body.node(node) {
                let others = self.asked_of_any(member, callee).into_iter().filter(|other| !targets.contains(other));
                targets.extend(others.collect::<Vec<_>>());
            }
            let mut types: Vec<Option<Ty>> = vec![None; args.len as usize];
            for (target, function) in targets {
                let params = match (function, program.body(target)) {
                    (Some(f), Some(body)) => &body.function(f).params,
                    _ => &program.decl(target).params,
                };
                let duck_typed = program.kit_of(target).traits.duck_typed;
                let rest = params.iter().position(|p| p.mode == ParamMode::Rest).unwrap_or(usize::MAX);
                for ((at, &arg), ty) in body.list(args).iter().enumerate().zip(&mut types) {
                    let at = at.min(rest);
                    if params.get(at).is_none_or(|p| p.ty.is_some() && !duck_typed) {
                        continue;
                    }
                    let ty = ty.get_or_insert_with(|| self.type_of_node(member, arg));
                    // a class as a value is there to make objects, and the one object of a literal to be asked
                    let is_object = |t: &Ty| matches!(t, Ty::Static(class) if program.is_object_literal(*class));
                    if matches!(ty, Ty::Own(..) | Ty::Outside(..) | Ty::Array(_) | Ty::Record(_)) || is_object(ty) {
                        found.push(((target, function, at as u16), ty.clone()));
                    }
                }
            }
        }
        found
    }

    /// The constructor that makes objects of a type: its own, or the nearest one that it inherits.
    pub(crate) fn constructor_or_base(&self, ty: TypeId, arg_count: usize) -> Option<MemberId> {
        let mut class = Some(ty);
        for _ in 0..NEAR {
            let t = class?;
            if let Some(found) = self.constructor(t, arg_count) {
                return Some(found);
            }
            class = self.program.base_class(t);
        }
        None
    }

    /// What several types have in common: one that all others are.
    pub(super) fn common(&self, types: &[Ty]) -> Option<Ty> {
        let (first, rest) = types.split_first()?;
        if rest.is_empty() {
            return Some(first.clone());
        }
        if types.iter().all(|t| matches!(t, Ty::Record(_))) {
            return Some(self.common_record(types));
        }
        let all: Vec<TypeId> = types.iter().filter_map(Ty::own).collect();
        if all.len() < types.len() {
            return None;
        }
        let mut found = None;
        self.program.for_each_base(all[0], &mut |base| {
            if all.iter().all(|t| self.program.is_a(*t, base)) {
                found = Some(Ty::Own(base, Arc::default()));
            }
            found.is_none()
        });
        found
    }

    /// The members that records have in common or that only some of them have.
    fn common_record(&self, types: &[Ty]) -> Ty {
        let mut by_name: std::collections::BTreeMap<crate::program::Sym, Vec<Ty>> = Default::default();
        for ty in types {
            let Ty::Record(members) = ty else { continue };
            for (name, ty) in members.iter() {
                let known = by_name.entry(*name).or_default();
                if !known.contains(ty) {
                    known.push(ty.clone());
                }
            }
        }
        Ty::Record(by_name.into_iter().filter_map(|(name, types)| Some((name, self.common(&types)?))).collect())
    }

    /// What a call may come to of what is asked under one name, where that may be one of several objects without a base in common:
    /// those that a field is given, and those that a constant lists.
    fn asked_of_any(&self, member: MemberId, callee: NodeId) -> Vec<(MemberId, Option<FunctionId>)> {
        let program = self.program;
        if !program.kit_of(member).traits.fits_by_shape {
            return Vec::new();
        }
        let Some(Node::Member { object, name, .. }) = program.body(member).map(|body| body.node(callee)) else { return Vec::new() };
        let name = program.sym_in(member, name);
        let mut found = Vec::new();
        match self.eval_at(member, object, NEAR) {
            Val::Static(m) | Val::Member(_, m) => {
                for held in self.definitions(m) {
                    self.asked_of(*held, name, &mut found);
                }
            }
            value => self.asked_of_value(&value, name, &mut found),
        }
        found.sort_unstable();
        found.dedup();
        found
    }

    /// What an expression has under a name: an object that is made or written out there, or one that a constant holds.
    fn asked_of(&self, held: Site, name: Sym, found: &mut Vec<(MemberId, Option<FunctionId>)>) {
        let program = self.program;
        let Some(body) = program.body(held.member) else { return };
        match body.node(held.node) {
            Node::Object(_) => found.extend(self.function_of_literal(held, name)),
            Node::New { .. } => {
                let class = self.type_of_node(held.member, held.node).own();
                let method = class.and_then(|class| program.find_member(class, name));
                found.extend(method.filter(|m| program.member(*m).kind == MemberKind::Method).map(|m| (m, None)));
            }
            Node::Name(_) | Node::Member { .. } | Node::Index { .. } => {
                self.asked_of_value(&self.eval_at(held.member, held.node, NEAR), name, found);
            }
            _ => {}
        }
    }

    /// What the object of a constant, or any of those that it lists, has under a name.
    fn asked_of_value(&self, value: &Val, name: Sym, found: &mut Vec<(MemberId, Option<FunctionId>)>) {
        match value {
            Val::Static(constant) => {
                let literal = self.listing(*constant);
                found.extend(literal.and_then(|literal| self.function_of_literal(literal, name)));
            }
            // those that are listed beside one are asked in its place
            Val::Element(of, _) | Val::Outside(of, _) => {
                let (Val::Static(table) | Val::Member(_, table)) = **of else { return };
                let Some(table) = self.listing(table) else { return };
                let values = self.values_of_literal(table).into_iter();
                found.extend(values.filter_map(|entry| self.function_of_literal(entry, name)));
            }
            _ => {}
        }
    }

    /// The function that an object which is written out has under a name.
    fn function_of_literal(&self, literal: Site, name: Sym) -> Option<(MemberId, Option<FunctionId>)> {
        let entry = self.entry_of_literal(literal, name)?;
        match self.program.body(entry.member)?.node(entry.node) {
            Node::Lambda(function) => Some((entry.member, Some(function))),
            _ => None,
        }
    }

    /// What calls give to a parameter.
    pub(super) fn given_type(&self, member: MemberId, function: Option<FunctionId>, index: u16) -> Ty {
        self.given.get(&(member, function, index)).cloned().unwrap_or(Ty::Unknown)
    }
}
