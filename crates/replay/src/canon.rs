//! JSON values by content: two values are equal when their canonical texts are.

use serde_json::Value;

/// The canonical text of a value: keys sorted, fields that are `null` left out, numbers by
/// their exact value, and labels of objects replaced.
pub(crate) fn text(value: &Value, name: &mut dyn FnMut(&str) -> String) -> String {
    let mut out = String::new();
    write(value, name, &mut out);
    out
}

fn write(value: &Value, name: &mut dyn FnMut(&str) -> String, out: &mut String) {
    match value {
        Value::Null => out.push_str("null"),
        Value::Bool(b) => out.push_str(if *b { "true" } else { "false" }),
        Value::Number(n) => out.push_str(&number(&n.to_string())),
        Value::String(s) => out.push_str(&Value::from(s.as_str()).to_string()),
        Value::Array(items) => {
            out.push('[');
            for item in items {
                write(item, name, out);
                out.push(',');
            }
            out.push(']');
        }
        Value::Object(fields) => {
            if let Some(of) = label(value) {
                out.push_str(&format!("<{}>", name(of)));
                return;
            }
            let mut filled: Vec<(&String, &Value)> = fields.iter().filter(|(_, v)| !v.is_null()).collect();
            filled.sort_unstable_by_key(|(key, _)| *key);
            out.push('{');
            for (key, value) in filled {
                out.push_str(&Value::from(key.as_str()).to_string());
                out.push(':');
                write(value, name, out);
                out.push(',');
            }
            out.push('}');
        }
    }
}

/// Whether a value holds, anywhere, a digest in place of what was not written out.
pub(crate) fn has_digest(value: &Value) -> bool {
    match value {
        Value::Object(fields) => is_digest(value) || fields.values().any(has_digest),
        Value::Array(items) => items.iter().any(has_digest),
        _ => false,
    }
}

fn is_digest(value: &Value) -> bool {
    matches!(value, Value::Object(fields) if fields.len() == 1 && matches!(fields.get("digest"), Some(Value::String(_))))
}

/// Whether two values agree wherever both are written out.
pub(crate) fn agree_but_for_digests(
    a: &Value,
    b: &Value,
    name_a: &mut dyn FnMut(&str) -> String,
    name_b: &mut dyn FnMut(&str) -> String,
) -> bool {
    if is_digest(a) != is_digest(b) {
        return true;
    }
    match (a, b) {
        (Value::Array(x), Value::Array(y)) => {
            x.len() == y.len() && x.iter().zip(y).all(|(a, b)| agree_but_for_digests(a, b, name_a, name_b))
        }
        (Value::Object(x), Value::Object(y)) if label(a).is_none() && label(b).is_none() => {
            let filled = |m: &serde_json::Map<String, Value>| m.values().filter(|v| !v.is_null()).count();
            filled(x) == filled(y)
                && x.iter()
                    .filter(|(_, v)| !v.is_null())
                    .all(|(key, v)| y.get(key).is_some_and(|w| !w.is_null() && agree_but_for_digests(v, w, name_a, name_b)))
        }
        _ => text(a, name_a) == text(b, name_b),
    }
}

/// The label of an object that stands in a value.
fn label(value: &Value) -> Option<&str> {
    match value {
        Value::Object(fields) if fields.len() == 1 => match fields.get("object") {
            Some(Value::String(name)) if name.contains('#') => Some(name),
            _ => None,
        },
        _ => None,
    }
}

/// A number by its exact value: digits without leading and trailing zeros, and an exponent.
fn number(text: &str) -> String {
    let (negative, rest) = text.strip_prefix('-').map_or((false, text), |r| (true, r));
    let (mantissa, exponent) = match rest.split_once(['e', 'E']) {
        Some((m, e)) => (m, e.trim_start_matches('+').parse::<i64>().unwrap_or(0)),
        None => (rest, 0),
    };
    let (whole, fraction) = mantissa.split_once('.').unwrap_or((mantissa, ""));
    let digits: String = format!("{whole}{fraction}");
    let mut exponent = exponent.saturating_sub(fraction.len() as i64);
    let trimmed = digits.trim_start_matches('0');
    let significant = trimmed.trim_end_matches('0');
    exponent = exponent.saturating_add((trimmed.len() - significant.len()) as i64);
    if significant.is_empty() {
        return "0".into();
    }
    format!("{}{significant}e{exponent}", if negative { "-" } else { "" })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn same(a: &str, b: &str) -> bool {
        let parse = |t: &str| serde_json::from_str::<Value>(t).expect("JSON");
        let mut keep = |l: &str| l.to_owned();
        text(&parse(a), &mut keep) == text(&parse(b), &mut keep)
    }

    #[test]
    fn numbers_are_equal_by_value() {
        assert!(same("2", "2.0"));
        assert!(same("1e3", "1000"));
        assert!(same("-0.50", "-5e-1"));
        assert!(same("0", "-0.0"));
        assert!(!same("9007199254740993", "9007199254740992"));
    }

    #[test]
    fn absent_is_null_and_order_does_not_matter() {
        assert!(same("{\"a\":1,\"b\":null}", "{\"a\":1}"));
        assert!(same("{\"a\":1,\"b\":2}", "{\"b\":2,\"a\":1}"));
        assert!(!same("[1,2]", "[2,1]"));
    }

    proptest::proptest! {
        #[test]
        fn integers_keep_their_value(n in proptest::num::i64::ANY) {
            let text = n.to_string();
            proptest::prop_assert_eq!(number(&text), number(&format!("{text}.000")));
        }
    }
}
