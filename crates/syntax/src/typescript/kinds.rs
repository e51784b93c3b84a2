//! The grammar's names, resolved once for each of the two grammars.

use crate::driver::grammar;

grammar! {
    kinds {
        AbstractClass = "abstract_class_declaration", AbstractMethod = "abstract_method_signature", Accessibility = "accessibility_modifier",
        Ambient = "ambient_declaration", Arguments = "arguments", Array = "array", ArrayPattern = "array_pattern", ArrayType = "array_type",
        Arrow = "arrow_function", As = "as_expression", Assign = "assignment_expression", AssignPattern = "assignment_pattern",
        AugmentedAssign = "augmented_assignment_expression", Await = "await_expression", Binary = "binary_expression",
        Break = "break_statement", Call = "call_expression", CallSignature = "call_signature", Catch = "catch_clause", Class = "class", ClassBody = "class_body",
        ClassDecl = "class_declaration", ClassHeritage = "class_heritage", Computed = "computed_property_name", Continue = "continue_statement",
        Decorator = "decorator", Do = "do_statement", Else = "else_clause", EnumAssign = "enum_assignment", EnumDecl = "enum_declaration",
        ExportClause = "export_clause", ExportSpecifier = "export_specifier", ExportStatement = "export_statement", ExprStatement = "expression_statement",
        ExtendsClause = "extends_clause", ExtendsType = "extends_type_clause", False = "false", FieldDef = "public_field_definition",
        Finally = "finally_clause", For = "for_statement", ForIn = "for_in_statement", FormalParams = "formal_parameters",
        FunctionDecl = "function_declaration", FunctionExpr = "function_expression", FunctionSignature = "function_signature",
        FunctionType = "function_type", Generator = "generator_function", GeneratorDecl = "generator_function_declaration",
        GenericType = "generic_type", Identifier = "identifier", If = "if_statement", Implements = "implements_clause", ImportAlias = "import_alias",
        ImportClause = "import_clause", ImportRequire = "import_require_clause", ImportSpecifier = "import_specifier", Import = "import_statement",
        Instantiation = "instantiation_expression", InterfaceBody = "interface_body", InterfaceDecl = "interface_declaration", InternalModule = "internal_module",
        Intersection = "intersection_type", JsxAttribute = "jsx_attribute", JsxClosing = "jsx_closing_element", JsxElement = "jsx_element", JsxExpression = "jsx_expression",
        JsxOpening = "jsx_opening_element", JsxSelfClosing = "jsx_self_closing_element", JsxText = "jsx_text", Labeled = "labeled_statement",
        LexicalDecl = "lexical_declaration", LiteralType = "literal_type", Member = "member_expression", MethodDef = "method_definition",
        MethodSignature = "method_signature", Module = "module", NamedImports = "named_imports", NamespaceExport = "namespace_export",
        NamespaceImport = "namespace_import", NestedIdentifier = "nested_identifier", NestedType = "nested_type_identifier", New = "new_expression",
        NonNull = "non_null_expression", Null = "null", Number = "number", Object = "object", ObjectAssignPattern = "object_assignment_pattern",
        ObjectPattern = "object_pattern", ObjectType = "object_type", IndexSignature = "index_signature", OptingAnnotation = "opting_type_annotation", OptionalParam = "optional_parameter", OptionalChain = "optional_chain", Override = "override_modifier",
        Pair = "pair", PairPattern = "pair_pattern", Parens = "parenthesized_expression", ParensType = "parenthesized_type",
        PredefinedType = "predefined_type", PrivateProperty = "private_property_identifier", PropertyIdentifier = "property_identifier",
        PropertySignature = "property_signature", ReadonlyType = "readonly_type", Regex = "regex", RequiredParam = "required_parameter",
        RestPattern = "rest_pattern", Return = "return_statement", Satisfies = "satisfies_expression", Sequence = "sequence_expression",
        ShorthandProperty = "shorthand_property_identifier", ShorthandPattern = "shorthand_property_identifier_pattern", Spread = "spread_element",
        StatementBlock = "statement_block", StaticBlock = "class_static_block", String = "string", StringFragment = "string_fragment",
        Subscript = "subscript_expression", Super = "super", SwitchCase = "switch_case", SwitchDefault = "switch_default", Switch = "switch_statement",
        Template = "template_string", TemplateSubstitution = "template_substitution", Ternary = "ternary_expression", This = "this", ThisType = "this_type",
        Throw = "throw_statement", True = "true", Try = "try_statement", TupleType = "tuple_type", TypeAlias = "type_alias_declaration",
        TypeAnnotation = "type_annotation", TypeAssertion = "type_assertion", TypeArguments = "type_arguments", TypeIdentifier = "type_identifier", Constraint = "constraint", TypeParameter = "type_parameter", TypeQuery = "type_query", Unary = "unary_expression",
        Undefined = "undefined", UnionType = "union_type", Update = "update_expression", VariableDecl = "variable_declaration",
        Declarator = "variable_declarator", While = "while_statement", Yield = "yield_expression",
    }
    fields {
        alias, alternative, arguments, attribute, body, condition, consequence, constructor, declaration, finalizer, function, handler, increment,
        index, initializer, key, kind, left, name, object, open_tag, operator, parameter, parameters, pattern, property, return_type, right,
        source, type_, type_arguments, type_parameters, value, argument,
    }
}
