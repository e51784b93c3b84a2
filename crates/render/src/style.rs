//! Roles of text and the styles they have.

use anstyle::{AnsiColor, Effects, Style};

/// What a piece of text is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Role {
    /// A heading.
    Heading,
    /// A file with line and column.
    Place,
    /// A channel, type or handler.
    Name,
    /// A rule.
    Rule,
    /// Something that is wrong.
    Error,
    /// Something that is probably wrong.
    Warning,
    /// Something worth knowing.
    Note,
    /// Side remarks, line numbers, frames.
    Quiet,
    /// The stretch of source that is meant.
    Marked,
    /// A command line to type.
    Command,
    /// Something as it should be.
    Good,
}

/// Styles by role, or none at all.
#[derive(Clone, Copy, Debug)]
pub struct Palette {
    colour: bool,
}

impl Palette {
    /// With or without colour.
    pub fn new(colour: bool) -> Self {
        Self { colour }
    }

    /// The style of a role.
    pub fn style(self, role: Role) -> Style {
        if !self.colour {
            return Style::new();
        }
        let fg = |c: AnsiColor| Style::new().fg_color(Some(c.into()));
        match role {
            Role::Heading => Style::new().effects(Effects::BOLD),
            Role::Place => fg(AnsiColor::Blue).effects(Effects::BOLD),
            Role::Name => fg(AnsiColor::Cyan),
            Role::Rule => Style::new().effects(Effects::BOLD | Effects::UNDERLINE),
            Role::Error => fg(AnsiColor::Magenta).effects(Effects::BOLD),
            Role::Warning => fg(AnsiColor::Yellow).effects(Effects::BOLD),
            Role::Note => fg(AnsiColor::Cyan).effects(Effects::BOLD),
            Role::Quiet => Style::new().effects(Effects::DIMMED),
            Role::Marked => Style::new().effects(Effects::BOLD),
            Role::Command => fg(AnsiColor::Green),
            Role::Good => fg(AnsiColor::Green).effects(Effects::BOLD),
        }
    }

    /// A text in the style of a role.
    pub fn paint(self, role: Role, text: &str) -> String {
        let style = self.style(role);
        format!("{style}{text}{style:#}")
    }
}
