//! The grammar's names, resolved once.

use crate::driver::grammar;

grammar! {
    kinds {
        Annotation = "annotation", AnnotationDecl = "annotation_type_declaration", AnnotatedType = "annotated_type",
        ArgumentList = "argument_list", ArrayAccess = "array_access", ArrayCreation = "array_creation_expression",
        ArrayInit = "array_initializer", ArrayType = "array_type", Assert = "assert_statement",
        Assign = "assignment_expression", Asterisk = "asterisk", Binary = "binary_expression", Block = "block",
        Break = "break_statement", Cast = "cast_expression", Catch = "catch_clause", CatchParam = "catch_formal_parameter",
        CatchType = "catch_type", ClassBody = "class_body", ClassDecl = "class_declaration", ClassLiteral = "class_literal",
        CompactConstructor = "compact_constructor_declaration", ConstantDecl = "constant_declaration",
        ConstructorBody = "constructor_body", ConstructorDecl = "constructor_declaration", Continue = "continue_statement",
        Declarator = "variable_declarator", Dimensions = "dimensions", Do = "do_statement", EnhancedFor = "enhanced_for_statement", EnumBody = "enum_body",
        EnumBodyDecls = "enum_body_declarations", EnumConstant = "enum_constant", EnumDecl = "enum_declaration",
        ExplicitConstructor = "explicit_constructor_invocation", ExprStatement = "expression_statement",
        Extends = "extends_interfaces", False = "false", FieldAccess = "field_access", FieldDecl = "field_declaration",
        Finally = "finally_clause", For = "for_statement", FormalParam = "formal_parameter", FormalParams = "formal_parameters",
        GenericType = "generic_type", Guard = "guard", Identifier = "identifier", If = "if_statement",
        Import = "import_declaration", InferredParams = "inferred_parameters", InstanceOf = "instanceof_expression",
        InterfaceDecl = "interface_declaration", Labeled = "labeled_statement", Lambda = "lambda_expression",
        LocalDecl = "local_variable_declaration", MarkerAnnotation = "marker_annotation", MethodDecl = "method_declaration",
        MethodCall = "method_invocation", MethodRef = "method_reference", Modifiers = "modifiers", New = "object_creation_expression",
        Null = "null_literal", PackageDecl = "package_declaration", Parens = "parenthesized_expression", Pattern = "pattern",
        Program = "program", ReceiverParam = "receiver_parameter", RecordDecl = "record_declaration",
        RecordPattern = "record_pattern", Resource = "resource", Return = "return_statement",
        ScopedIdentifier = "scoped_identifier", ScopedType = "scoped_type_identifier", SpreadParam = "spread_parameter",
        StaticInit = "static_initializer", String = "string_literal", Super = "super", SuperInterfaces = "super_interfaces",
        Superclass = "superclass", Switch = "switch_expression", SwitchGroup = "switch_block_statement_group",
        SwitchLabel = "switch_label", SwitchRule = "switch_rule", Synchronized = "synchronized_statement",
        Ternary = "ternary_expression", This = "this", Throw = "throw_statement", True = "true", Try = "try_statement",
        TryResources = "try_with_resources_statement", TypeArguments = "type_arguments", TypeIdentifier = "type_identifier",
        TypeBound = "type_bound", TypeList = "type_list", TypeParam = "type_parameter", TypePattern = "type_pattern", Unary = "unary_expression",
        Update = "update_expression", While = "while_statement", Wildcard = "wildcard", Yield = "yield_statement",
        Char = "character_literal", Decimal = "decimal_integer_literal", Float = "decimal_floating_point_literal",
        Hex = "hex_integer_literal", Boolean = "boolean_type", Integral = "integral_type", Floating = "floating_point_type", Void = "void_type",
        ElementValuePair = "element_value_pair", ArgumentListAnnotation = "annotation_argument_list",
    }
    fields {
        alternative, arguments, array, body, condition, consequence, constructor, declarator, dimensions, element, field,
        index, init, interfaces, key, left, name, object, operand, operator, parameters, pattern, resources, right, scope,
        superclass, type_, type_arguments, type_parameters, update, value,
    }
}
