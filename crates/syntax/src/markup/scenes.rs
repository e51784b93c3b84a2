//! Saved scenes and object templates: the methods that their serialized callbacks name.

use yarrowgraph_ir::{Language, Unit};

use super::{is_name, mention};

pub(super) fn lower(path: &str, text: &str) -> Unit {
    let mut unit = Unit::new(Language::CSharp, path);
    for line in text.lines() {
        let line = line.trim_start_matches([' ', '-']);
        // one engine lists callbacks with their target, another lists connections
        if let Some(method) = line.strip_prefix("m_MethodName:").map(str::trim).filter(|m| is_name(m)) {
            mention(&mut unit, method);
        } else if line.starts_with("[connection ") {
            let quoted = |key: &str| line.split_once(key).and_then(|(_, rest)| rest.split('"').next()).filter(|v| is_name(v));
            quoted("signal=\"").into_iter().chain(quoted("method=\"")).for_each(|name| mention(&mut unit, name));
        }
    }
    unit
}
