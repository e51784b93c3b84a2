//! Records in words.

use yarrowgraph_model::{Kind, Record};

/// A line of a tree: how deep it stands, its number, and what it says.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TreeLine {
    /// How deep.
    pub depth: usize,
    /// The record's number.
    pub n: u64,
    /// What it says.
    pub text: String,
}

/// A record in a few words.
pub fn say(r: &Record) -> String {
    let id = |x: &Option<String>| x.clone().unwrap_or_default();
    match r.kind {
        Kind::Call => format!("call {}", id(&r.target)),
        Kind::Subscribe => format!("subscribe {} to {}", id(&r.handler), id(&r.channel)),
        Kind::Unsubscribe => format!("unsubscribe {} from {}", id(&r.handler), id(&r.channel)),
        Kind::Raise => format!("raise {}", id(&r.channel)),
        Kind::Deliver => format!("deliver to {}", id(&r.handler)),
        Kind::Issue => format!("issue {}", id(&r.command)),
        Kind::Run => format!("run {}", id(&r.command)),
        Kind::Undo => format!("undo {}", id(&r.command)),
        Kind::Offer => format!("offer to {}", id(&r.handler)),
        Kind::Enter => format!("enter {} of {}", id(&r.to), id(&r.machine)),
        Kind::End => format!("end of {}", id(&r.object)),
        Kind::Settle => "settle".to_owned(),
        Kind::Note => "note".to_owned(),
    }
}

/// Ids down to their last two parts, which is how people say them.
pub fn shortened(text: &str) -> String {
    let word = |w: &str| {
        let head = w.find(['(', '#', ':', '"']).unwrap_or(w.len());
        let cut = w[..head].rmatch_indices('.').nth(1).map_or(0, |(at, _)| at + 1);
        w[cut..].to_owned()
    };
    text.split(' ').map(word).collect::<Vec<_>>().join(" ")
}
