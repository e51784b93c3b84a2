//! Bodies: statements and expressions in one arena.
//!
//! Statements and expressions share one enum, since in many languages they are the same
//! (blocks with a value, `switch` and `throw` as expressions) and every walk treats them
//! alike.

use serde::{Deserialize, Serialize};
use std::num::NonZeroU32;

use crate::{Annotation, Name, Span, TypeDeclId, TypeRefId};

/// A node of one body.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub struct NodeId(NonZeroU32);

impl NodeId {
    /// The id of the node at an index.
    pub fn new(index: usize) -> Self {
        Self(NonZeroU32::new(index as u32 + 1).unwrap_or(NonZeroU32::MAX))
    }

    /// The index of the node in its body.
    pub fn index(self) -> usize {
        self.0.get() as usize - 1
    }
}

/// A list of nodes in [`Body::lists`].
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct List {
    /// Index of the first.
    pub start: u32,
    /// How many.
    pub len: u32,
}

/// A function of a body: a lambda, a local function, the body of a method in an object literal.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub struct FunctionId(pub u32);

/// How a lambda gets its `this`.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub enum CaptureMode {
    /// From the place where it is written.
    Lexical,
    /// From its caller.
    Own,
}

/// What a function of a body is written as.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub enum LambdaForm {
    /// An anonymous function.
    Lambda,
    /// A named function in a body.
    Local,
    /// A method of an object literal.
    Method,
}

/// A function written inside a body.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Function {
    /// Its name, where it has one.
    pub name: Option<Name>,
    /// Its parameters.
    pub params: Vec<Param>,
    /// The type of its result, where it is written.
    pub result: Option<TypeRefId>,
    /// What it does: a block, or an expression that is its result.
    pub body: Option<NodeId>,
    /// Whether [`Function::body`] is an expression that is returned.
    pub returns_body: bool,
    /// How it gets its `this`.
    pub this: CaptureMode,
    /// What it is written as.
    pub form: LambdaForm,
    /// Whether it is asynchronous.
    pub is_async: bool,
}

/// How an argument is passed to a parameter.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub enum ParamMode {
    /// By value (or by reference to an object).
    #[default]
    Value,
    /// By reference to the variable.
    Ref,
    /// Set by the callee.
    Out,
    /// The rest of the arguments.
    Rest,
    /// The receiver of an extension method.
    Receiver,
}

/// A parameter.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Param {
    /// Its name; empty text where it is a pattern.
    pub name: Name,
    /// Where the name is written, in bytes of the decoded file.
    pub name_span: Span,
    /// Its type, where it is written.
    pub ty: Option<TypeRefId>,
    /// Its default value, a node of the function's body arena.
    pub default: Option<NodeId>,
    /// A pattern that takes the argument apart, a node of the body arena.
    pub pattern: Option<NodeId>,
    /// How the argument is passed.
    pub mode: ParamMode,
    /// Whether the argument may be left out.
    pub optional: bool,
    /// Annotations or decorators.
    pub annotations: Vec<Annotation>,
}

/// The operator of an assignment.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub enum AssignOp {
    /// `=`
    Set,
    /// `+=`
    Add,
    /// `-=`
    Sub,
    /// `??=`, `||=`: only when there is no value yet.
    IfUnset,
    /// Any other compound assignment.
    Other,
}

/// A binary operator.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub enum BinaryOp {
    /// Short-circuit and.
    And,
    /// Short-circuit or.
    Or,
    /// The left value unless there is none.
    Coalesce,
    /// Equal.
    Eq,
    /// Not equal.
    Ne,
    /// `<`
    Lt,
    /// `<=`
    Le,
    /// `>`
    Gt,
    /// `>=`
    Ge,
    /// `+`, which may also join texts or combine delegates.
    Add,
    /// `-`
    Sub,
    /// `|`, which may also combine flags.
    BitOr,
    /// Membership (`in`).
    In,
    /// Any other operator on plain data.
    Arithmetic,
}

/// A unary operator.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub enum UnaryOp {
    /// Logical not.
    Not,
    /// The value, stated to be there (`x!`).
    NonNull,
    /// Waits for the value.
    Await,
    /// The elements of the value in place of the value.
    Spread,
    /// The value at an address, or an address.
    Indirect,
    /// Removes a member or an entry.
    Delete,
    /// The name of the value's type.
    TypeOf,
    /// Steps up, or down.
    Step {
        /// Whether it is down.
        down: bool,
    },
    /// Passed by reference.
    ByRef,
    /// Hands the value to the choice around it, which it ends (`yield` in a Java `switch`).
    Give,
    /// Evaluated for its effects only.
    Void,
    /// Any other operator on plain data.
    Arithmetic,
}

/// What a loop is written as.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub enum LoopKind {
    /// Test, then body.
    While,
    /// Body, then test.
    DoWhile,
    /// Counted, with set-up and step.
    For,
}

/// What a collection is written as.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub enum CollectionKind {
    /// Array or list.
    List,
    /// Several values as one.
    Tuple,
}

/// A statement or an expression.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub enum Node {
    // ---- statements
    /// Statements in order.
    Block(List),
    /// Declares a local variable.
    Local {
        /// Its name; for a pattern a [`Node::Pattern`] stands in `pattern`.
        name: Name,
        /// Its type, where it is written.
        ty: Option<TypeRefId>,
        /// Its first value.
        init: Option<NodeId>,
        /// Whether it can be assigned only once.
        constant: bool,
    },
    /// Takes a value apart into several locals.
    Pattern {
        /// The locals ([`Node::Local`], [`Node::Entry`] with a local as its value, nested patterns).
        parts: List,
        /// The value.
        init: Option<NodeId>,
        /// Whether parts go by position rather than by name.
        positional: bool,
    },
    /// A condition with its branches.
    If {
        /// The condition.
        cond: NodeId,
        /// What happens when it holds.
        then: NodeId,
        /// What happens otherwise.
        other: Option<NodeId>,
    },
    /// A loop with a condition.
    Loop {
        /// What it is written as.
        kind: LoopKind,
        /// Set-up, condition and step, in this order; missing ones are [`Node::Empty`].
        head: List,
        /// The body.
        body: NodeId,
    },
    /// A walk over the elements of a collection.
    ForEach {
        /// The local or pattern that takes each element.
        var: NodeId,
        /// The collection.
        iterable: NodeId,
        /// The body.
        body: NodeId,
        /// Whether keys, not elements, are walked (`for … in`).
        keys: bool,
    },
    /// A choice among cases.
    Switch {
        /// The value that is looked at.
        subject: Option<NodeId>,
        /// The cases ([`Node::Case`]).
        cases: List,
    },
    /// One case of a switch.
    Case {
        /// The labels; none for the default case.
        labels: List,
        /// A condition on top of the labels.
        guard: Option<NodeId>,
        /// What happens.
        body: NodeId,
        /// Whether the next case runs as well when the body does not leave.
        falls_through: bool,
    },
    /// A body with handlers for exceptions.
    Try {
        /// The body.
        body: NodeId,
        /// The handlers ([`Node::Catch`]).
        catches: List,
        /// What happens in any case.
        finally: Option<NodeId>,
    },
    /// A handler for exceptions.
    Catch {
        /// The variable ([`Node::Local`]).
        var: Option<NodeId>,
        /// What happens.
        body: NodeId,
    },
    /// Resources that are disposed of at the end of a body; without a body at the end of the block.
    Using {
        /// The resources ([`Node::Local`] or expressions).
        resources: List,
        /// The body.
        body: Option<NodeId>,
    },
    /// A body under a lock.
    Lock {
        /// The lock.
        object: NodeId,
        /// The body.
        body: NodeId,
    },
    /// Leaves the function.
    Return(Option<NodeId>),
    /// Throws an exception.
    Throw(Option<NodeId>),
    /// Hands out one value of a generator.
    Yield(Option<NodeId>),
    /// Leaves the loop or switch.
    Break,
    /// Goes on with the next round.
    Continue,
    /// Runs at the end of the function.
    Defer(NodeId),
    /// Alternatives of which a build has only one (`#if`).
    Variants(List),
    /// Nothing.
    Empty,

    // ---- expressions
    /// A name.
    Name(Name),
    /// A member of an object, a type or a namespace; the span ends with the name.
    Member {
        /// The object.
        object: NodeId,
        /// The member.
        name: Name,
        /// Whether nothing happens when the object is missing (`a?.b`).
        optional: bool,
    },
    /// An element of an object.
    Index {
        /// The object.
        object: NodeId,
        /// The keys.
        keys: List,
        /// Whether nothing happens when the object is missing.
        optional: bool,
    },
    /// A call.
    Call {
        /// What is called.
        callee: NodeId,
        /// The arguments.
        args: List,
        /// The type arguments, an index into [`Body::type_lists`].
        type_args: Option<u16>,
        /// Whether nothing happens when the callee is missing (`f?.()`).
        optional: bool,
    },
    /// Creates an object.
    New {
        /// Its type.
        ty: TypeRefId,
        /// The arguments.
        args: List,
        /// Members set right away ([`Node::Object`] or [`Node::Collection`]).
        init: Option<NodeId>,
        /// The class body written on the spot.
        class: Option<TypeDeclId>,
    },
    /// A function as a value.
    Lambda(FunctionId),
    /// A member as a function value (`this::rise`, `&Gauge::rose`).
    MethodRef {
        /// The object or type.
        object: NodeId,
        /// The member.
        name: Name,
    },
    /// A type declared in an expression or statement.
    Class(TypeDeclId),
    /// An assignment.
    Assign {
        /// The operator.
        op: AssignOp,
        /// What is assigned to.
        target: NodeId,
        /// The value.
        value: NodeId,
    },
    /// A binary operation.
    Binary {
        /// The operator.
        op: BinaryOp,
        /// The left operand.
        left: NodeId,
        /// The right operand.
        right: NodeId,
    },
    /// A unary operation.
    Unary {
        /// The operator.
        op: UnaryOp,
        /// The operand.
        operand: NodeId,
    },
    /// One of two values.
    Conditional {
        /// The condition.
        cond: NodeId,
        /// The value when it holds.
        then: NodeId,
        /// The value otherwise.
        other: NodeId,
    },
    /// Asks whether a value is of a type; may name it.
    TypeTest {
        /// The value.
        object: NodeId,
        /// The type, where the test is for one.
        ty: Option<TypeRefId>,
        /// The local ([`Node::Local`]) or further patterns.
        binding: Option<NodeId>,
    },
    /// A value taken as another type.
    Cast {
        /// The type.
        ty: TypeRefId,
        /// The value.
        operand: NodeId,
    },
    /// A text.
    Str(Name),
    /// A number, as written.
    Num(Name),
    /// True or false.
    Bool(bool),
    /// No value.
    Null,
    /// A text with values in it; parts in order.
    Template(List),
    /// A collection with its elements.
    Collection {
        /// What it is written as.
        kind: CollectionKind,
        /// The elements.
        items: List,
    },
    /// An object or map with its entries ([`Node::Entry`], or a spread).
    Object(List),
    /// One entry of an object, a named argument, or a named part of a pattern.
    Entry {
        /// The key: a [`Node::Str`] for a plain name, else the computed key.
        key: NodeId,
        /// The value.
        value: NodeId,
    },
    /// The enclosing instance.
    This,
    /// The instance of an enclosing type (`Outer.this`).
    OuterThis(Name),
    /// The enclosing instance, seen as its base.
    Super,
    /// A type as a value (`typeof(T)`, `T.class`).
    TypeExpr(TypeRefId),
    /// A markup element: its name, then its attributes ([`Node::Entry`]), then its children.
    Element(List),
    /// Not modelled; the children are kept.
    Opaque(List),
    /// Plain data that cannot carry a function, an object or a constant key.
    Plain,
}

const _: () = assert!(size_of::<Node>() <= 24);

/// The nodes of one member.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub struct Body {
    /// What spans are relative to, in bytes of the decoded file.
    pub origin: u32,
    /// The nodes.
    pub nodes: Vec<Node>,
    /// For each node its span, relative to [`Body::origin`].
    pub spans: Vec<Span>,
    /// The pool of lists.
    pub lists: Vec<NodeId>,
    /// Lists of type arguments.
    pub type_lists: Vec<Box<[TypeRefId]>>,
    /// The functions written in this body.
    pub functions: Vec<Function>,
    /// The statement or expression that the member runs.
    pub root: Option<NodeId>,
    /// Whether [`Body::root`] is an expression that is the member's value.
    pub returns_root: bool,
    /// Types declared in this body, with the node that declares them.
    pub types: Vec<(TypeDeclId, NodeId)>,
}

impl Body {
    /// Whether what follows a statement in its block is not come to by way of it.
    pub fn leaves(&self, node: NodeId) -> bool {
        match self.node(node) {
            Node::Return(_) | Node::Throw(_) | Node::Break | Node::Continue => true,
            Node::Block(list) => self.list(list).last().is_some_and(|last| self.leaves(*last)),
            _ => false,
        }
    }

    /// Whether the last of some statements leaves the loop around them; inside of a choice a break leaves no more than that.
    pub fn leave_loop(&self, statements: List, in_choice: bool) -> bool {
        self.list(statements).last().is_some_and(|last| match self.node(*last) {
            Node::Return(_) | Node::Throw(_) => true,
            Node::Break => !in_choice,
            _ => false,
        })
    }

    /// The node of an id.
    pub fn node(&self, id: NodeId) -> Node {
        self.nodes[id.index()]
    }

    /// What is in this body, in no more room than it needs; this one is empty then and keeps its room.
    pub fn take_fitted(&mut self) -> Body {
        fn all<T: Clone>(from: &mut Vec<T>) -> Vec<T> {
            let fitted = from.to_vec();
            from.clear();
            fitted
        }
        Body {
            origin: self.origin,
            nodes: all(&mut self.nodes),
            spans: all(&mut self.spans),
            lists: all(&mut self.lists),
            type_lists: self.type_lists.drain(..).collect(),
            functions: self.functions.drain(..).collect(),
            root: self.root.take(),
            returns_root: std::mem::take(&mut self.returns_root),
            types: self.types.drain(..).collect(),
        }
    }

    /// The ids of all nodes, in the order in which they were made.
    pub fn ids(&self) -> impl DoubleEndedIterator<Item = NodeId> + Clone + use<> {
        (0..self.nodes.len()).map(NodeId::new)
    }

    /// What is cast, or said to be there (`order!`), where an expression begins with that.
    pub fn uncast(&self, mut node: NodeId) -> NodeId {
        while let Node::Cast { operand, .. } | Node::Unary { op: UnaryOp::NonNull, operand } = self.node(node) {
            node = operand;
        }
        node
    }

    /// The nodes of a list.
    pub fn list(&self, list: List) -> &[NodeId] {
        &self.lists[list.start as usize..(list.start + list.len) as usize]
    }

    /// The span of a node in bytes of the decoded file.
    pub fn span(&self, id: NodeId) -> Span {
        let span = self.spans[id.index()];
        Span { start: span.start + self.origin, end: span.end + self.origin }
    }

    /// Gives a node another span, in bytes of the decoded file.
    pub fn set_span(&mut self, id: NodeId, span: Span) {
        self.spans[id.index()] = Span { start: span.start.saturating_sub(self.origin), end: span.end.saturating_sub(self.origin) };
    }

    /// A function of this body.
    pub fn function(&self, id: FunctionId) -> &Function {
        &self.functions[id.0 as usize]
    }

    /// Adds a node; the span is given in bytes of the decoded file.
    pub fn push(&mut self, node: Node, span: Span) -> NodeId {
        let id = NodeId::new(self.nodes.len());
        self.nodes.push(node);
        self.spans.push(Span { start: span.start.saturating_sub(self.origin), end: span.end.saturating_sub(self.origin) });
        id
    }

    /// Adds a list.
    pub fn push_list(&mut self, items: &[NodeId]) -> List {
        if items.is_empty() {
            return List::default();
        }
        let start = self.lists.len() as u32;
        self.lists.extend_from_slice(items);
        List { start, len: items.len() as u32 }
    }

    /// The direct children of a node, in source order. A lambda's parameters' defaults and
    /// its body are its children; the members of a class written on the spot are not.
    pub fn children(&self, id: NodeId) -> Children {
        let mut out = Children::new();
        // Only destructuring here, so that a new field does not compile until someone decides about it.
        match self.node(id) {
            Node::Block(list)
            | Node::Variants(list)
            | Node::Template(list)
            | Node::Object(list)
            | Node::Element(list)
            | Node::Opaque(list) => {
                out.extend_from_slice(self.list(list));
            }
            Node::Collection { kind: _, items } => out.extend_from_slice(self.list(items)),
            Node::Local { name: _, ty: _, init, constant: _ } => out.extend(init),
            Node::Pattern { parts, init, positional: _ } => {
                out.extend_from_slice(self.list(parts));
                out.extend(init);
            }
            Node::If { cond, then, other } => {
                out.extend([cond, then]);
                out.extend(other);
            }
            Node::Loop { kind: _, head, body } => {
                out.extend_from_slice(self.list(head));
                out.push(body);
            }
            Node::ForEach { var, iterable, body, keys: _ } => out.extend([var, iterable, body]),
            Node::Switch { subject, cases } => {
                out.extend(subject);
                out.extend_from_slice(self.list(cases));
            }
            Node::Case { labels, guard, body, falls_through: _ } => {
                out.extend_from_slice(self.list(labels));
                out.extend(guard);
                out.push(body);
            }
            Node::Try { body, catches, finally } => {
                out.push(body);
                out.extend_from_slice(self.list(catches));
                out.extend(finally);
            }
            Node::Catch { var, body } => {
                out.extend(var);
                out.push(body);
            }
            Node::Using { resources, body } => {
                out.extend_from_slice(self.list(resources));
                out.extend(body);
            }
            Node::Lock { object, body } => out.extend([object, body]),
            Node::Return(value) | Node::Throw(value) | Node::Yield(value) => out.extend(value),
            Node::Defer(value) => out.push(value),
            Node::Member { object, name: _, optional: _ } | Node::MethodRef { object, name: _ } => out.push(object),
            Node::Index { object, keys, optional: _ } => {
                out.push(object);
                out.extend_from_slice(self.list(keys));
            }
            Node::Call { callee, args, type_args: _, optional: _ } => {
                out.push(callee);
                out.extend_from_slice(self.list(args));
            }
            Node::New { ty: _, args, init, class: _ } => {
                out.extend_from_slice(self.list(args));
                out.extend(init);
            }
            Node::Lambda(function) => {
                let f = self.function(function);
                for p in &f.params {
                    out.extend(p.default);
                    out.extend(p.pattern);
                }
                out.extend(f.body);
            }
            Node::Assign { op: _, target, value } => out.extend([target, value]),
            Node::Binary { op: _, left, right } => out.extend([left, right]),
            Node::Unary { op: _, operand } | Node::Cast { ty: _, operand } => out.push(operand),
            Node::Conditional { cond, then, other } => out.extend([cond, then, other]),
            Node::TypeTest { object, ty: _, binding } => {
                out.push(object);
                out.extend(binding);
            }
            Node::Entry { key, value } => out.extend([key, value]),
            Node::Break
            | Node::Continue
            | Node::Empty
            | Node::Name(_)
            | Node::Class(_)
            | Node::Str(_)
            | Node::Num(_)
            | Node::Bool(_)
            | Node::Null
            | Node::This
            | Node::OuterThis(_)
            | Node::Super
            | Node::TypeExpr(_)
            | Node::Plain => {}
        }
        out
    }
}

/// The children of a node.
pub type Children = smallvec::SmallVec<[NodeId; 8]>;
