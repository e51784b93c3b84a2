//! One source file: its types, members, imports and comments of interest.

use crate::{Body, LineIndex, Name, Names, Param, TypeRef, TypeRefId};
use serde::{Deserialize, Serialize};

/// A stretch of the decoded text of one file, in bytes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub struct Span {
    /// The first byte.
    pub start: u32,
    /// The byte after the last one.
    pub end: u32,
}

impl Span {
    /// Whether another span lies within this one.
    pub fn contains(self, other: Span) -> bool {
        self.start <= other.start && other.end <= self.end
    }
}

/// A language that a front end exists for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub enum Language {
    /// C#.
    CSharp,
    /// C++.
    Cpp,
    /// Java.
    Java,
    /// JavaScript, with or without markup.
    JavaScript,
    /// TypeScript, with or without markup.
    TypeScript,
}

impl Language {
    /// All of them, in the order of their names.
    pub const ALL: [Language; 5] = [Language::Cpp, Language::CSharp, Language::Java, Language::JavaScript, Language::TypeScript];

    /// The name in lower case, as in the map's JSON.
    pub fn name(self) -> &'static str {
        match self {
            Language::Cpp => "cpp",
            Language::CSharp => "csharp",
            Language::Java => "java",
            Language::JavaScript => "javascript",
            Language::TypeScript => "typescript",
        }
    }
}

/// A type declaration of one file; an index into [`Unit::types`].
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub struct TypeDeclId(pub u32);

/// A member declaration of one file; an index into [`Unit::members`].
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub struct MemberId(pub u32);

/// Who may use a declaration.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub enum Visibility {
    /// The declaring type only.
    Private,
    /// The package, module or assembly.
    #[default]
    Internal,
    /// Heirs too.
    Protected,
    /// Everybody.
    Public,
}

/// What a declaration's modifiers say.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct Modifiers {
    /// Who may use it.
    pub visibility: Visibility,
    /// Belongs to the type, not to its instances.
    pub is_static: bool,
    /// Has no body here.
    pub is_abstract: bool,
    /// Replaces an inherited member.
    pub is_override: bool,
    /// Can be replaced by heirs although it has a body.
    pub is_virtual: bool,
    /// Assigned only while the object is made.
    pub is_readonly: bool,
    /// Has further parts elsewhere.
    pub is_partial: bool,
    /// Asynchronous.
    pub is_async: bool,
    /// Handed to other modules by name (`export`), or out of a library (`class LOCKS_EXPORT Gate`).
    pub is_exported: bool,
    /// A field that no declaration names: it is there because something is assigned to it.
    pub is_assigned: bool,
    /// May be called by its name, by what the code does not show.
    pub is_invokable: bool,
    /// Declared here, defined elsewhere (`declare`, `extern`).
    pub is_ambient: bool,
    /// May be missing (`x?: T`).
    pub is_optional: bool,
    /// An enumeration whose constants are known by their plain names where it is declared.
    pub is_unscoped: bool,
    /// Runs under a lock of its object, or of its class where it is static.
    pub is_synchronized: bool,
}

/// An attribute, annotation or decorator.
#[derive(Clone, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct Annotation {
    /// Its dotted name.
    pub name: Name,
    /// Its arguments: a name where one is given, and the source text.
    pub args: Box<[(Option<Name>, Name)]>,
    /// Where it is written.
    pub span: Span,
}

/// What kind of type is declared.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub enum TypeKind {
    /// A class.
    Class,
    /// A value type.
    Struct,
    /// An interface.
    Interface,
    /// An enumeration.
    Enum,
    /// A record.
    Record,
    /// A named function type.
    Delegate,
    /// Another name for a type.
    Alias,
    /// A module or namespace with members of its own.
    Namespace,
    /// An annotation type.
    Annotation,
}

/// How a base is named.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub enum BaseKind {
    /// As the class that is extended.
    Extends,
    /// As an interface.
    Implements,
    /// As one or the other: the language does not tell.
    Either,
}

/// A base of a type.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct Base {
    /// The base.
    pub ty: TypeRefId,
    /// How it is named.
    pub kind: BaseKind,
}

/// A type declaration.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct TypeDecl {
    /// What is declared.
    pub kind: TypeKind,
    /// Its name; empty text where it has none.
    pub name: Name,
    /// Where the name is written (for an anonymous type, where it begins).
    pub name_span: Span,
    /// The whole declaration.
    pub span: Span,
    /// The namespace or package it is declared in, dotted; empty text for none.
    pub namespace: Name,
    /// The type it is nested in.
    pub parent: Option<TypeDeclId>,
    /// The member whose body it is declared in.
    pub within: Option<MemberId>,
    /// Its type parameters.
    pub type_params: Box<[TypeParam]>,
    /// Its bases.
    pub bases: Box<[Base]>,
    /// For an alias the type it stands for, for a delegate the function type.
    pub aliased: Option<TypeRefId>,
    /// Its modifiers.
    pub modifiers: Modifiers,
    /// Annotations or decorators.
    pub annotations: Vec<Annotation>,
    /// Its members.
    pub members: Vec<MemberId>,
    /// Whether it is the body of a `new` expression.
    pub anonymous: bool,
    /// Whether it only stands for a type that is declared elsewhere, some of whose members are
    /// written out here.
    pub outline: bool,
}

/// Which part of a property or event an accessor is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub enum AccessorKind {
    /// Reads.
    Get,
    /// Writes.
    Set,
    /// Subscribes.
    Add,
    /// Releases.
    Remove,
}

/// What kind of member is declared.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub enum MemberKind {
    /// A field or module-level variable.
    Field,
    /// A method or function.
    Method,
    /// A constructor.
    Constructor,
    /// A destructor or finalizer.
    Destructor,
    /// A property; its accessors are members of their own.
    Property,
    /// An event; its accessors are members of their own.
    Event,
    /// A constant of an enumeration.
    EnumConstant,
    /// An accessor of the property or event of the same name.
    Accessor(AccessorKind),
    /// An initialiser block, or the top-level statements of a module.
    Initializer,
}

/// A type parameter.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct TypeParam {
    /// Its name.
    pub name: Name,
    /// What its arguments must be; the first where more is asked.
    pub bound: Option<TypeRefId>,
}

/// A member declaration.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Member {
    /// What is declared.
    pub kind: MemberKind,
    /// Its name; empty text for a constructor or initialiser.
    pub name: Name,
    /// Where the name is written.
    pub name_span: Span,
    /// The whole declaration.
    pub span: Span,
    /// The type it belongs to; none at module level.
    pub owner: Option<TypeDeclId>,
    /// Its parameters.
    pub params: Vec<Param>,
    /// Its type parameters.
    pub type_params: Box<[TypeParam]>,
    /// The type of a field or property, or of a method's result.
    pub ty: Option<TypeRefId>,
    /// Its modifiers.
    pub modifiers: Modifiers,
    /// Annotations or decorators.
    pub annotations: Vec<Annotation>,
    /// The interface whose member it implements, where that is stated.
    pub explicit_interface: Option<TypeRefId>,
    /// What it does, or its first value.
    pub body: Option<Box<Body>>,
}

/// A name brought in from elsewhere.
#[derive(Clone, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct Import {
    /// The namespace, package or module, as written.
    pub from: Name,
    /// The name there; none for the whole, `*` text for everything in it.
    pub name: Option<Name>,
    /// The name here; none where it is that of the other side.
    pub alias: Option<Name>,
    /// Whether static members are brought in.
    pub is_static: bool,
    /// Whether it is handed on to importers of this file.
    pub reexport: bool,
    /// Whether types alone are brought in, so that nothing is loaded for it.
    pub types_only: bool,
}

/// A comment that accepts a finding on purpose.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct AcceptComment {
    /// The rule.
    pub rule: String,
    /// The reason; empty when none is given, which is refused.
    pub reason: String,
    /// Where the comment is.
    pub span: Span,
}

/// One source file.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Unit {
    /// Its language.
    pub language: Language,
    /// Its path, relative to the root of the tree, with forward slashes.
    pub path: String,
    /// Its names.
    pub names: Names,
    /// Its types, parents before children.
    pub types: Vec<TypeDecl>,
    /// Its members, those of module level included.
    pub members: Vec<Member>,
    /// Its type references.
    pub type_refs: Vec<TypeRef>,
    /// Its imports.
    pub imports: Vec<Import>,
    /// Names that it hands out under other names (`export { a as b }`): own name, outer name.
    pub exports: Vec<(Name, Name)>,
    /// Its namespace or package, where the whole file has one; empty text for none.
    pub namespace: Name,
    /// Its comments that accept findings.
    pub accepts: Vec<AcceptComment>,
    /// Stretches that the grammar could not read.
    pub errors: Vec<Span>,
    /// Words in what could not be read, and names that macros make out of words.
    pub unread: Vec<Name>,
    /// Names of handlers and events that markup attaches, or merely names.
    pub mentioned: Vec<Name>,
    /// Texts that types of this file admit (`'open' | 'shut'`), with where each is written.
    pub literals: Vec<(Name, Span)>,
    /// Whether it lets another program use what is internal to its own.
    pub opens_internals: bool,
    /// Whether it says that it was generated.
    pub generated: bool,
    /// Its lines.
    pub lines: LineIndex,
    /// How many lines it has.
    pub line_count: u32,
}

impl Unit {
    /// An empty file.
    pub fn new(language: Language, path: &str) -> Self {
        let mut names = Names::default();
        let namespace = names.intern("");
        Self {
            language,
            path: path.to_owned(),
            names,
            types: Vec::new(),
            members: Vec::new(),
            type_refs: Vec::new(),
            imports: Vec::new(),
            exports: Vec::new(),
            namespace,
            accepts: Vec::new(),
            errors: Vec::new(),
            unread: Vec::new(),
            mentioned: Vec::new(),
            literals: Vec::new(),
            opens_internals: false,
            generated: false,
            lines: LineIndex::default(),
            line_count: 0,
        }
    }

    /// A type of this file.
    pub fn ty(&self, id: TypeDeclId) -> &TypeDecl {
        &self.types[id.0 as usize]
    }

    /// A member of this file.
    pub fn member(&self, id: MemberId) -> &Member {
        &self.members[id.0 as usize]
    }

    /// A type reference of this file.
    pub fn type_ref(&self, id: TypeRefId) -> &TypeRef {
        &self.type_refs[id.0 as usize]
    }

    /// The text of a name.
    pub fn text(&self, name: Name) -> &str {
        self.names.text(name)
    }
}
