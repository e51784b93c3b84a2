//! Longest common and rising subsequences.

/// Beyond so many cells a table is not filled.
const CELLS: usize = 60_000_000;

/// The pairs of a longest common subsequence of two lists of keys; of several, one with most pairs of equal second keys.
pub(crate) fn common(b: &[(u64, u64)], a: &[(u64, u64)]) -> Vec<(usize, usize)> {
    let head = b.iter().zip(a).take_while(|(x, y)| x == y).count();
    let rest = b.len().min(a.len()) - head;
    let tail = b.iter().rev().zip(a.iter().rev()).take(rest).take_while(|(x, y)| x == y).count();
    let mut pairs: Vec<(usize, usize)> = (0..head).map(|i| (i, i)).collect();
    let (mb, ma) = (&b[head..b.len() - tail], &a[head..a.len() - tail]);
    let middle = if mb.len().saturating_mul(ma.len()) <= CELLS { table(mb, ma) } else { by_occurrence(mb, ma) };
    pairs.extend(middle.into_iter().map(|(i, j)| (head + i, head + j)));
    pairs.extend((0..tail).rev().map(|k| (b.len() - 1 - k, a.len() - 1 - k)));
    pairs
}

fn table(b: &[(u64, u64)], a: &[(u64, u64)]) -> Vec<(usize, usize)> {
    if b.is_empty() || a.is_empty() {
        return Vec::new();
    }
    const TAKE: u8 = 0;
    const SKIP_BEFORE: u8 = 1;
    const SKIP_AFTER: u8 = 2;
    let width = a.len();
    let mut ways = vec![SKIP_BEFORE; b.len() * width];
    let mut below: Vec<(u32, u32)> = vec![(0, 0); width + 1];
    let mut here = below.clone();
    for i in (0..b.len()).rev() {
        here[width] = (0, 0);
        for j in (0..width).rev() {
            let (skip_before, skip_after) = (below[j], here[j + 1]);
            let (mut best, mut way) = if skip_before >= skip_after { (skip_before, SKIP_BEFORE) } else { (skip_after, SKIP_AFTER) };
            if b[i].0 == a[j].0 {
                let rest = below[j + 1];
                let taken = (rest.0 + 1, rest.1 + u32::from(b[i].1 == a[j].1));
                if taken >= best {
                    (best, way) = (taken, TAKE);
                }
            }
            here[j] = best;
            ways[i * width + j] = way;
        }
        std::mem::swap(&mut below, &mut here);
    }
    let (mut i, mut j, mut pairs) = (0, 0, Vec::new());
    while i < b.len() && j < width {
        match ways[i * width + j] {
            TAKE => {
                pairs.push((i, j));
                i += 1;
                j += 1;
            }
            SKIP_BEFORE => i += 1,
            _ => j += 1,
        }
    }
    pairs
}

/// A common subsequence that need not be a longest one: each key with its next occurrence, as far as these rise.
fn by_occurrence(b: &[(u64, u64)], a: &[(u64, u64)]) -> Vec<(usize, usize)> {
    let mut places: rustc_hash::FxHashMap<u64, std::collections::VecDeque<usize>> = rustc_hash::FxHashMap::default();
    for (j, (key, _)) in a.iter().enumerate() {
        places.entry(*key).or_default().push_back(j);
    }
    let pairs: Vec<(usize, usize)> = b
        .iter()
        .enumerate()
        .filter_map(|(i, (key, _))| places.get_mut(key).and_then(std::collections::VecDeque::pop_front).map(|j| (i, j)))
        .collect();
    let rising = rising(&pairs.iter().map(|(_, j)| *j).collect::<Vec<_>>());
    rising.into_iter().map(|at| pairs[at]).collect()
}

/// The places of a longest rising subsequence of distinct numbers.
pub(crate) fn rising(list: &[usize]) -> Vec<usize> {
    // for each length the place of the least number that ends a rising subsequence of it
    let mut ends: Vec<usize> = Vec::new();
    let mut before: Vec<Option<usize>> = Vec::with_capacity(list.len());
    for (at, value) in list.iter().enumerate() {
        let length = ends.partition_point(|e| list[*e] < *value);
        before.push(length.checked_sub(1).map(|l| ends[l]));
        if length == ends.len() {
            ends.push(at);
        } else {
            ends[length] = at;
        }
    }
    let mut found: Vec<usize> = std::iter::successors(ends.last().copied(), |at| before[*at]).collect();
    found.reverse();
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    fn keys(text: &str) -> Vec<(u64, u64)> {
        text.bytes().map(|b| (u64::from(b), 0)).collect()
    }

    #[test]
    fn a_swap_leaves_all_but_one() {
        assert_eq!(common(&keys("xaby"), &keys("xbay")).len(), 3);
        assert_eq!(common(&keys("ab"), &keys("ba")), [(1, 0)]);
        assert_eq!(rising(&[1, 0]), [1]);
        assert_eq!(rising(&[0, 2, 3, 1]), [0, 1, 2]);
    }

    #[test]
    fn of_equal_ones_that_with_the_same_behind_it_is_taken() {
        assert_eq!(common(&[(1, 5), (1, 6)], &[(1, 6)]), [(1, 0)]);
    }

    proptest::proptest! {
        #[test]
        fn what_is_common_rises_and_is_equal(b in "[a-d]{0,12}", a in "[a-d]{0,12}") {
            let (b, a) = (keys(&b), keys(&a));
            for pairs in [common(&b, &a), by_occurrence(&b, &a)] {
                proptest::prop_assert!(pairs.iter().all(|(i, j)| b[*i] == a[*j]));
                proptest::prop_assert!(pairs.windows(2).all(|w| w[0].0 < w[1].0 && w[0].1 < w[1].1));
            }
            proptest::prop_assert!(common(&b, &a).len() >= by_occurrence(&b, &a).len());
        }
    }
}
