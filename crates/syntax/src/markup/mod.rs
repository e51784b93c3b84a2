//! Markup: handlers that are attached outside of code. What a form of markup attaches is written out as the
//! code that its platform would make of it, which the language's front end then reads, with every place
//! put back to where the markup says so. What is merely named there is kept as [`Unit::mentioned`].

mod controllers;
mod documents;
mod interfaces;
mod layouts;
pub(crate) mod pages;
mod scenes;
mod services;
mod views;
mod written;
mod xml;

use yarrowgraph_ir::{Language, Unit};

use crate::parse::Unread;

/// A form of markup.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Form {
    /// A view of a class of C# (XAML).
    View,
    /// A view of a controller of Java (FXML).
    Controller,
    /// An interface file of a toolkit of C++ or C (`.ui`).
    Interface,
    /// A screen's layout (Android).
    Layout,
    /// A page or the template of a component, with or without scripts.
    Page,
    /// A document of objects that are bound to those of C++ (QML).
    Document,
    /// A saved scene or object template with serialized callbacks.
    Scene,
    /// A list of the classes that serve an interface (`META-INF/services`).
    Services,
}

/// The form of markup of a file, by its path.
pub(crate) fn form_of(path: &str) -> Option<Form> {
    if path.contains("META-INF/services/") {
        return Some(Form::Services);
    }
    let (folders, name) = path.rsplit_once('/').unwrap_or(("", path));
    let (_, extension) = name.rsplit_once('.')?;
    Some(match extension {
        "xaml" | "axaml" => Form::View,
        "fxml" => Form::Controller,
        "ui" | "glade" => Form::Interface,
        "qml" => Form::Document,
        "html" | "htm" | "vue" | "svelte" => Form::Page,
        "unity" | "prefab" | "tscn" => Form::Scene,
        "xml" if folders.rsplit('/').next().is_some_and(|f| f == "layout" || f.starts_with("layout-")) => Form::Layout,
        _ => return None,
    })
}

impl Form {
    /// The language of the code that the markup belongs to.
    pub(crate) fn language(self) -> Language {
        match self {
            Form::View | Form::Scene => Language::CSharp,
            Form::Controller | Form::Layout | Form::Services => Language::Java,
            Form::Interface | Form::Document => Language::Cpp,
            Form::Page => Language::JavaScript,
        }
    }

    /// Reads a file.
    pub(crate) fn lower(self, path: &str, text: &str) -> Result<Unit, Unread> {
        match self {
            Form::View => views::lower(path, text),
            Form::Controller => controllers::lower(path, text),
            Form::Interface => interfaces::lower(path, text),
            Form::Document => Ok(documents::lower(path, text)),
            Form::Layout => Ok(layouts::lower(path, text)),
            Form::Page => pages::lower(path, text),
            Form::Scene => Ok(scenes::lower(path, text)),
            Form::Services => services::lower(path, text),
        }
    }
}

/// Notes a name that the markup mentions.
fn mention(unit: &mut Unit, word: &str) {
    let name = unit.names.intern(word);
    if !unit.mentioned.contains(&name) {
        unit.mentioned.push(name);
    }
}

/// Notes all names in an expression.
fn mention_all(unit: &mut Unit, expression: &str) {
    let words = expression.split(|c: char| !(c.is_alphanumeric() || matches!(c, '_' | '$')));
    words.filter(|w| is_name(w)).for_each(|w| mention(unit, w));
}

/// Whether a text is a name that code can have.
fn is_name(text: &str) -> bool {
    let mut chars = text.chars();
    chars.next().is_some_and(|c| c.is_alphabetic() || matches!(c, '_' | '$'))
        && chars.all(|c| c.is_alphanumeric() || matches!(c, '_' | '$'))
}

#[cfg(test)]
mod tests;
