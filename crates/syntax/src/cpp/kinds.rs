//! The grammar's names, resolved once.

use crate::driver::grammar;

grammar! {
    kinds {
        AccessSpecifier = "access_specifier", Alias = "alias_declaration", ArgumentList = "argument_list", ArrayDeclarator = "array_declarator",
        Assign = "assignment_expression", BaseClause = "base_class_clause", Binary = "binary_expression", Block = "compound_statement",
        Break = "break_statement", Call = "call_expression", Case = "case_statement", Cast = "cast_expression", CatchClause = "catch_clause",
        Char = "char_literal", Class = "class_specifier", CoAwait = "co_await_expression", CoReturn = "co_return_statement",
        CoYield = "co_yield_statement", Comma = "comma_expression", CompoundLiteral = "compound_literal_expression",
        ConcatenatedString = "concatenated_string", ConditionClause = "condition_clause", Conditional = "conditional_expression",
        Continue = "continue_statement", Declaration = "declaration", DeclarationList = "declaration_list", DeleteExpr = "delete_expression",
        DestructorName = "destructor_name", Do = "do_statement", Else = "else_clause", EnumSpecifier = "enum_specifier", Enumerator = "enumerator",
        ExprStatement = "expression_statement", False = "false", FieldDecl = "field_declaration", FieldDeclList = "field_declaration_list",
        FieldExpr = "field_expression", FieldIdentifier = "field_identifier", FieldInitializer = "field_initializer",
        FieldInitializers = "field_initializer_list", For = "for_statement", ForRange = "for_range_loop", Friend = "friend_declaration",
        FunctionDeclarator = "function_declarator", FunctionDef = "function_definition", Identifier = "identifier", If = "if_statement",
        InitDeclarator = "init_declarator", InitStatement = "init_statement", InitializerList = "initializer_list", InitializerPair = "initializer_pair",
        Labeled = "labeled_statement", Lambda = "lambda_expression", CaptureSpecifier = "lambda_capture_specifier",
        CaptureInitializer = "lambda_capture_initializer", Linkage = "linkage_specification", Namespace = "namespace_definition",
        NamespaceIdentifier = "namespace_identifier", New = "new_expression", Null = "null", Number = "number_literal",
        OperatorCast = "operator_cast", OperatorName = "operator_name", OptionalParam = "optional_parameter_declaration", PackExpansion = "parameter_pack_expansion",
        ParamDecl = "parameter_declaration", ParenthesizedDeclarator = "parenthesized_declarator", Parens = "parenthesized_expression",
        Placeholder = "placeholder_type_specifier", PointerDeclarator = "pointer_declarator", PointerExpr = "pointer_expression",
        PreprocElif = "preproc_elif", PreprocElifdef = "preproc_elifdef", PreprocElse = "preproc_else", PreprocIf = "preproc_if", PreprocIfdef = "preproc_ifdef",
        PrimitiveType = "primitive_type", PureVirtual = "pure_virtual_clause", Qualified = "qualified_identifier", RawString = "raw_string_literal",
        ReferenceDeclarator = "reference_declarator", Return = "return_statement", Sizeof = "sizeof_expression", SizedType = "sized_type_specifier",
        StorageClass = "storage_class_specifier", String = "string_literal", Struct = "struct_specifier",
        StructuredBinding = "structured_binding_declarator", Subscript = "subscript_expression", Switch = "switch_statement", Template = "template_declaration",
        TemplateArgs = "template_argument_list", TemplateFunction = "template_function", TemplateMethod = "template_method", TemplateType = "template_type",
        This = "this", Throw = "throw_statement", True = "true", Try = "try_statement", TypeDefinition = "type_definition", TypeDescriptor = "type_descriptor",
        TypeIdentifier = "type_identifier", TypeParam = "type_parameter_declaration", TypeQualifier = "type_qualifier", Unary = "unary_expression",
        Union = "union_specifier", Update = "update_expression", Using = "using_declaration", VariadicDeclarator = "variadic_declarator", VariadicParam = "variadic_parameter_declaration",
        VirtualSpecifier = "virtual_specifier", While = "while_statement",
    }
    fields {
        alternative, argument, arguments, body, captures, condition, consequence, declarator, default_value, designator, field, function,
        indices, initializer, left, name, operator, parameters, right, scope, type_, update, value,
    }
}
