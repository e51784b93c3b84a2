//! Types and declarators.

use tree_sitter::Node as Ts;
use yarrowgraph_ir::{TypeRef, TypeRefId};

use super::Cpp;
use super::kinds::Kind;

/// Types that hold one object and mean it.
const HOLDERS: [&str; 14] = [
    "unique_ptr",
    "shared_ptr",
    "QPointer",
    "QScopedPointer",
    "QSharedPointer",
    "RefPtr",
    "optional",
    "reference_wrapper",
    "not_null",
    "scoped_refptr",
    "intrusive_ptr",
    "auto_ptr",
    "scoped_ptr",
    "atomic",
];
/// Types that hold a function.
const FUNCTIONS: [&str; 5] = ["function", "move_only_function", "function_ref", "copyable_function", "slot"];

/// What a declarator says of a name.
pub(super) struct Declared<'t> {
    /// The innermost declarator: a name, or a qualified one.
    pub(super) name: Option<Ts<'t>>,
    /// The function declarator, if it declares a function.
    pub(super) function: Option<Ts<'t>>,
    /// Whether it is a pointer or a reference.
    pub(super) indirect: bool,
    /// Whether it is an array.
    pub(super) array: bool,
    /// Whether it is a pointer to a function (`void (*f)(int)`).
    pub(super) function_pointer: bool,
}

impl<'t> Cpp<'t> {
    /// Takes a declarator apart.
    pub(super) fn declared(&mut self, declarator: Option<Ts<'t>>) -> Declared<'t> {
        let mut found = Declared { name: None, function: None, indirect: false, array: false, function_pointer: false };
        let mut at = declarator;
        let mut pointer_before_function = false;
        while let Some(node) = at {
            let kids = self.l.kids(node);
            let inner = kids.field(self.t.fields.declarator);
            match self.kind(node) {
                Kind::PointerDeclarator | Kind::ReferenceDeclarator => {
                    if found.function.is_some() {
                        pointer_before_function = true;
                    } else {
                        found.indirect = true;
                    }
                    at = inner.or(kids.last());
                }
                Kind::ArrayDeclarator => {
                    found.array = true;
                    at = inner;
                }
                Kind::FunctionDeclarator => {
                    found.function = Some(node);
                    at = inner;
                }
                Kind::ParenthesizedDeclarator | Kind::VariadicDeclarator => at = kids.last(),
                Kind::InitDeclarator => at = inner,
                Kind::Identifier
                | Kind::FieldIdentifier
                | Kind::TypeIdentifier
                | Kind::Qualified
                | Kind::DestructorName
                | Kind::OperatorName
                | Kind::TemplateFunction => {
                    found.name = Some(node);
                    break;
                }
                _ => at = inner,
            }
        }
        // `void (*onRise)(int)` is a variable
        if pointer_before_function {
            found.function = None;
            found.function_pointer = true;
        }
        found
    }

    /// The type of what a declarator declares.
    pub(super) fn type_of(&mut self, ty: Option<Ts<'t>>, declared: &Declared<'t>) -> Option<TypeRefId> {
        if declared.function_pointer {
            let result = self.l.type_ref(TypeRef::Other);
            let function = self.l.type_ref(TypeRef::Function { params: Box::default(), result });
            return Some(self.l.type_ref(TypeRef::Indirect(function)));
        }
        let base = self.ty(ty?);
        let inner = if declared.indirect { self.l.type_ref(TypeRef::Indirect(base)) } else { base };
        Some(if declared.array { self.l.type_ref(TypeRef::Array(inner)) } else { inner })
    }

    /// A type.
    pub(super) fn ty(&mut self, node: Ts<'t>) -> TypeRefId {
        if let Some(id) = self.l.known_type(node) {
            return id;
        }
        let f = &self.t.fields;
        let kids = self.l.kids(node);
        let ty = match self.kind(node) {
            Kind::Placeholder => TypeRef::Inferred,
            Kind::TypeDescriptor => {
                let Some(inner) = kids.field(f.type_) else { return self.l.type_ref(TypeRef::Other) };
                let declarator = kids.field(f.declarator);
                let id = self.ty(inner);
                match declarator.map(|d| self.l.text_of(d)) {
                    // `using Rise = void (*)(int)` is a pointer, as with `typedef`
                    Some(text) if text.starts_with("(*") => {
                        let function = self.l.type_ref(TypeRef::Function { params: Box::default(), result: id });
                        TypeRef::Indirect(function)
                    }
                    Some(text) if text.contains('(') => TypeRef::Function { params: Box::default(), result: id },
                    Some(_) => TypeRef::Indirect(id),
                    None => return self.l.remember_type(node, id),
                }
            }
            Kind::TemplateType | Kind::TemplateFunction => {
                let name = self.dotted(node);
                self.generic(&name, kids.field(f.arguments))
            }
            Kind::Qualified => match self.innermost(node) {
                Some(template) if matches!(self.kind(template), Kind::TemplateType | Kind::TemplateFunction) => {
                    let name = self.dotted(node);
                    let parts = self.l.kids(template);
                    self.generic(&name, parts.field(f.arguments))
                }
                _ => {
                    let name = self.dotted(node);
                    TypeRef::Named { name: self.l.intern(&name), args: Box::default() }
                }
            },
            Kind::Class | Kind::Struct | Kind::Union | Kind::EnumSpecifier => match kids.field(f.name) {
                Some(name) => return self.ty(name),
                None => TypeRef::Other,
            },
            Kind::TypeIdentifier | Kind::Identifier | Kind::NamespaceIdentifier => {
                TypeRef::Named { name: self.l.name_of(node), args: Box::default() }
            }
            Kind::PrimitiveType | Kind::SizedType => match self.l.text_of(node) {
                "auto" => TypeRef::Inferred,
                _ => TypeRef::Named { name: self.l.name_of(node), args: Box::default() },
            },
            _ => TypeRef::Other,
        };
        let id = self.l.type_ref(ty);
        self.l.remember_type(node, id)
    }

    /// The last part of a qualified name.
    pub(super) fn innermost(&mut self, mut node: Ts<'t>) -> Option<Ts<'t>> {
        while self.kind(node) == Kind::Qualified {
            node = self.l.kids(node).field(self.t.fields.name)?;
        }
        Some(node)
    }

    fn generic(&mut self, name: &str, arguments: Option<Ts<'t>>) -> TypeRef {
        let simple = name.rsplit('.').next().unwrap_or(name);
        let args: Vec<TypeRefId> = match arguments {
            Some(list) => {
                let list = self.l.items(list);
                list.named().map(|t| self.ty(t)).collect()
            }
            None => Vec::new(),
        };
        if HOLDERS.contains(&simple)
            && let Some(held) = args.first()
        {
            return TypeRef::Indirect(*held);
        }
        if FUNCTIONS.contains(&simple) {
            if let Some(function @ TypeRef::Function { .. }) = args.first().map(|f| self.l.unit.type_ref(*f)) {
                return function.clone();
            }
            let result = self.l.type_ref(TypeRef::Other);
            return TypeRef::Function { params: Box::default(), result };
        }
        TypeRef::Named { name: self.l.intern(name), args: args.into() }
    }

    /// Whether a type is one of objects that a declaration makes at once: a class by value.
    pub(super) fn is_class_type(&self, node: Ts<'t>) -> bool {
        matches!(self.kind(node), Kind::TypeIdentifier | Kind::Qualified | Kind::TemplateType)
    }
}
