//! What was found out once and is asked for again, by threads side by side.

use std::hash::Hash;
use std::sync::Mutex;

use rustc_hash::FxHashMap;

/// What is known under a key, or else what is worked out now and known from then on. Two that ask at the same time may both
/// work it out, and must come to the same.
pub(crate) fn known_or<K: Eq + Hash, V: Clone>(memo: &Mutex<FxHashMap<K, V>>, key: K, work_out: impl FnOnce() -> V) -> V {
    if let Ok(known) = memo.lock()
        && let Some(found) = known.get(&key)
    {
        return found.clone();
    }
    let found = work_out();
    if let Ok(mut known) = memo.lock() {
        known.insert(key, found.clone());
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_known_is_not_worked_out_again() {
        let memo = Mutex::default();
        assert_eq!(known_or(&memo, "tide", || 4), 4);
        assert_eq!(known_or(&memo, "tide", || 5), 4);
        assert_eq!(known_or(&memo, "moon", || 5), 5);
    }
}
