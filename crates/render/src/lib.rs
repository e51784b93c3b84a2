//! Every output form: text for a terminal, JSON, SARIF.
//!
//! A renderer is told width, colour and sources; it finds out nothing by itself. Text that
//! comes from the analysed code goes through [`escape`] before it reaches a terminal.

mod chains_text;
pub mod chart;
pub mod classes;
pub mod coupling_text;
pub mod demo;
pub mod escape;
mod families_text;
pub mod findings_text;
pub mod follow_text;
pub mod json;
pub mod junit;
pub mod map_text;
pub mod replay_text;
pub mod roster_text;
pub mod sarif;
pub mod set_off_text;
mod style;
mod text;

pub use style::{Palette, Role};
pub use text::{Sources, TextOptions};
