//! What a language promises, stated by its front end so that nobody asks for it by name.

/// When two evaluations of a method as a value are equal.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum MethodValue {
    /// Equal when method and receiver are (C# delegates, bound methods of Python).
    ByValue,
    /// Never: each evaluation makes a new object (a method reference of Java).
    Fresh,
    /// It is the same function each time (a member read in JavaScript).
    Same,
}

/// The promises of one language.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Traits {
    /// When method values are equal.
    pub method_value: MethodValue,
    /// Whether a method that is named by its class alone is a constant, equal to itself (`&Gauge::onRise`).
    pub member_constants: bool,
    /// Whether invoking an empty callable field crashes.
    pub empty_call_crashes: bool,
    /// What is written behind a callable so that calling it does nothing when it is empty; a `?` before
    /// the dot of a member does the same for an object.
    pub safe_call: Option<&'static str>,
    /// Whether `+=` and `-=` on a callable member combine and remove handlers.
    pub combines_callables: bool,
    /// Whether a bare name can mean a member of the enclosing type.
    pub bare_members: bool,
    /// Whether a file is a module whose names are its own until they are imported.
    pub file_modules: bool,
    /// Whether combined callables are immutable, so that a delivery walks a snapshot.
    pub callables_are_snapshots: bool,
    /// Whether a nested type's instances hold the enclosing instance unless they are static.
    pub inner_types_capture: bool,
    /// Whether members without a modifier are public.
    pub public_by_default: bool,
    /// Whether types are seldom written, so that a method may have to be told by its name alone.
    pub duck_typed: bool,
    /// Whether an object is of an interface by its shape, so that its class need not say so.
    pub fits_by_shape: bool,
    /// Whether functions and variables of a file are known in others by their plain names, and a type
    /// by its simple one where no other has it.
    pub open_names: bool,
    /// Whether a field that holds a function is called by its name alone.
    pub fields_called: bool,
    /// Whether an object ends although others still refer to it, and what they then call is not there.
    pub references_dangle: bool,
    /// Whether a name with a member behind it never means a constant of an enumeration, but a type of that name (`LogBook::get()`).
    pub constants_are_bare: bool,
    /// Whether a field of an enumeration that nothing sets holds its first constant.
    pub enums_start_at_first: bool,
    /// Whether of two equal keys of a map that is written out the first stays.
    pub first_key_stays: bool,
    /// Whether asking a map for a key that it does not have, by an index, is refused.
    pub missing_key_throws: bool,
    /// Whether calling a type makes an object of it.
    pub types_are_called: bool,
}
