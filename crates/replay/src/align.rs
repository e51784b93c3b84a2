//! Aligning stimuli: lane by lane, case by case, in order.

use std::cmp::Reverse;
use std::collections::BinaryHeap;

use rustc_hash::FxHashMap;

use crate::outline::Outline;

/// So many places are gone on from at most.
const PLACES: usize = 2_000_000;
/// Beyond this many cells a lane is aligned in pieces.
const CELLS: usize = 1_200_000_000;

/// Pairs the stimuli of two recordings, given by their places: for each before its partner after. With it goes whether so
/// much differs that this was done in pieces.
pub(crate) fn align(before: &[Outline], after: &[Outline]) -> (Vec<Option<usize>>, bool) {
    let mut partners = vec![None; before.len()];
    let mut in_pieces = false;
    let lanes_after = by_lane(after);
    for (lane, of_before) in by_lane(before) {
        let Some(of_after) = lanes_after.get(&lane) else { continue };
        for (i, j) in lane_pairs(before, after, &of_before, of_after, &mut in_pieces) {
            partners[i] = Some(j);
        }
    }
    (partners, in_pieces)
}

fn by_lane(outlines: &[Outline]) -> FxHashMap<u64, Vec<usize>> {
    let mut lanes: FxHashMap<u64, Vec<usize>> = FxHashMap::default();
    for (place, outline) in outlines.iter().enumerate() {
        lanes.entry(outline.lane).or_default().push(place);
    }
    lanes
}

/// How good an alignment is: pairs of equal arguments, pairs, unchanged trees.
type Score = (u32, u32, u32);

/// How good a pair is; none where the two cannot be one.
fn score(b: &Outline, a: &Outline) -> Option<Score> {
    (b.identity == a.identity).then(|| (u32::from(b.arguments == a.arguments), 1, u32::from(b.tree == a.tree)))
}

fn lane_pairs(before: &[Outline], after: &[Outline], b: &[usize], a: &[usize], in_pieces: &mut bool) -> Vec<(usize, usize)> {
    let of = |i: usize, j: usize| score(&before[b[i]], &after[a[j]]);
    let pairs = cheapest(&of, b.len(), a.len()).unwrap_or_else(|| {
        *in_pieces |= b.len().saturating_mul(a.len()) > CELLS;
        let mut pairs = Vec::new();
        search(&of, 0..b.len(), 0..a.len(), &mut pairs);
        pairs
    });
    pairs.into_iter().map(|(i, j)| (b[i], a[j])).collect()
}

/// What an alignment lacks of one in which all are the same: twice what is lost of each part of the score, so that one
/// without a partner counts one.
type Cost = (u32, u32, u32);

const ONE_ALONE: Cost = (1, 1, 1);

fn plus(x: Cost, y: Cost) -> Cost {
    (x.0 + y.0, x.1 + y.1, x.2 + y.2)
}

/// The best alignment, by going on from the cheapest beginnings: fast where little differs, and given up where too much does.
///
/// Two that are the same are always a pair: any alignment in which they are not is no better.
fn cheapest(score: &dyn Fn(usize, usize) -> Option<Score>, n: usize, m: usize) -> Option<Vec<(usize, usize)>> {
    type Place = (usize, usize);
    let slide = |(mut i, mut j): Place| {
        while i < n && j < m && score(i, j) == Some((1, 1, 1)) {
            i += 1;
            j += 1;
        }
        (i, j)
    };
    // what comes next: a pair that differs, one alone after, one alone before
    let ways = |(i, j): Place| -> [Option<(Place, Cost)>; 3] {
        let pair = (i < n && j < m).then(|| score(i, j)).flatten().map(|s| ((i + 1, j + 1), (2 - 2 * s.0, 0, 2 - 2 * s.2)));
        [pair, (j < m).then_some(((i, j + 1), ONE_ALONE)), (i < n).then_some(((i + 1, j), ONE_ALONE))]
    };
    // so many at least are left alone
    let ahead = |(i, j): Place| {
        let alone = (n - i).abs_diff(m - j) as u32;
        (alone, alone, alone)
    };
    let mut known: FxHashMap<Place, Cost> = FxHashMap::default();
    let mut next = BinaryHeap::new();
    let start = slide((0, 0));
    known.insert(start, (0, 0, 0));
    next.push(Reverse((ahead(start), start)));
    let mut least = None;
    while let Some(Reverse((whole, place))) = next.pop() {
        if least.is_some_and(|l| whole > l) {
            break;
        }
        if known.len() > PLACES {
            return None;
        }
        let so_far = known[&place];
        if plus(so_far, ahead(place)) < whole {
            continue;
        }
        if place == (n, m) {
            least = Some(whole);
            continue;
        }
        for (to, cost) in ways(place).into_iter().flatten() {
            let (to, cost) = (slide(to), plus(so_far, cost));
            if known.get(&to).is_none_or(|k| cost < *k) {
                known.insert(to, cost);
                next.push(Reverse((plus(cost, ahead(to)), to)));
            }
        }
    }
    // from the end, what each place that was come by still costs
    let mut places: Vec<Place> = known.into_keys().collect();
    places.sort_unstable_by_key(|(i, j)| Reverse(i + j));
    let mut rest: FxHashMap<Place, Cost> = FxHashMap::default();
    rest.insert((n, m), (0, 0, 0));
    for place in places {
        let best = ways(place).into_iter().flatten().filter_map(|(to, cost)| rest.get(&slide(to)).map(|r| plus(*r, cost))).min();
        if let Some(best) = best {
            rest.insert(place, best);
        }
    }
    // and from the beginning the best way, with pairs as early as can be
    let mut pairs: Vec<(usize, usize)> = (0..start.0).map(|k| (k, k)).collect();
    let mut place = start;
    while place != (n, m) {
        let left = *rest.get(&place)?;
        let (to, is_pair) = ways(place).into_iter().enumerate().find_map(|(way, next)| {
            let (to, cost) = next?;
            let fits = rest.get(&slide(to)).is_some_and(|r| plus(*r, cost) == left);
            fits.then_some((to, way == 0))
        })?;
        if is_pair {
            pairs.push(place);
        }
        let end = slide(to);
        pairs.extend((0..end.0 - to.0).map(|k| (to.0 + k, to.1 + k)));
        place = end;
    }
    Some(pairs)
}

type Range = std::ops::Range<usize>;

/// The best alignment in order, by dynamic programming; in pieces where the table would be too large.
fn search(score: &dyn Fn(usize, usize) -> Option<Score>, b: Range, a: Range, out: &mut Vec<(usize, usize)>) {
    if b.is_empty() || a.is_empty() {
        return;
    }
    if b.len().saturating_mul(a.len()) > CELLS {
        let (hb, ha) = (b.start + b.len() / 2, a.start + a.len() / 2);
        search(score, b.start..hb, a.start..ha, out);
        search(score, hb..b.end, ha..a.end, out);
        return;
    }
    const SKIP_BEFORE: u8 = 0;
    const SKIP_AFTER: u8 = 1;
    const TAKE: u8 = 2;
    let width = a.len();
    // two bits for each cell: which way is best from there
    let mut ways = vec![0_u8; (b.len() * width).div_ceil(4)];
    let mut below: Vec<Score> = vec![(0, 0, 0); width + 1];
    let mut here = below.clone();
    for i in (0..b.len()).rev() {
        here[width] = (0, 0, 0);
        for j in (0..width).rev() {
            let (mut best, mut way) = if here[j + 1] >= below[j] { (here[j + 1], SKIP_AFTER) } else { (below[j], SKIP_BEFORE) };
            if let Some(s) = score(b.start + i, a.start + j) {
                let rest = below[j + 1];
                let taken = (s.0 + rest.0, s.1 + rest.1, s.2 + rest.2);
                if taken >= best {
                    (best, way) = (taken, TAKE);
                }
            }
            here[j] = best;
            let cell = i * width + j;
            ways[cell / 4] |= way << (cell % 4 * 2);
        }
        std::mem::swap(&mut below, &mut here);
    }
    let (mut i, mut j) = (0, 0);
    while i < b.len() && j < width {
        let cell = i * width + j;
        match ways[cell / 4] >> (cell % 4 * 2) & 3 {
            TAKE => {
                out.push((b.start + i, a.start + j));
                i += 1;
                j += 1;
            }
            SKIP_AFTER => j += 1,
            _ => i += 1,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Stimuli of one lane: a letter for the identity, a digit for the arguments.
    fn stimuli(text: &str) -> Vec<Outline> {
        let one = |word: &str| Outline {
            n: 0,
            lane: 0,
            identity: u64::from(word.as_bytes()[0]),
            arguments: u64::from(word.as_bytes()[1]),
            tree: u64::from(*word.as_bytes().get(2).unwrap_or(&0)),
            pattern: 0,
            objects: Box::default(),
            nodes: 1,
            stretch: (0, 0),
            unordered: false,
            deferred: Box::default(),
        };
        text.split_whitespace().map(one).collect()
    }

    fn aligned(before: &str, after: &str) -> Vec<Option<usize>> {
        align(&stimuli(before), &stimuli(after)).0
    }

    #[test]
    fn one_more_or_less_does_not_spoil_the_rest() {
        assert_eq!(aligned("a1 b1 c1", "a1 x1 b1 c1"), [Some(0), Some(2), Some(3)]);
        assert_eq!(aligned("a1 x1 b1 c1", "a1 b1 c1"), [Some(0), None, Some(1), Some(2)]);
        assert_eq!(aligned("a1 b1", "b1 a1"), [Some(1), None]);
    }

    #[test]
    fn equal_arguments_count_first_and_then_pairs() {
        assert_eq!(aligned("a1 a2", "a2 a3"), [None, Some(0)]);
        assert_eq!(aligned("a1 b1", "a9 b1"), [Some(0), Some(1)]);
        assert_eq!(aligned("a1x a1y", "a1y"), [None, Some(0)]);
    }

    #[test]
    fn of_equals_the_earlier_ones_are_pairs() {
        assert_eq!(aligned("x1 a1 a1", "y1 a1"), [None, Some(1), None]);
        assert_eq!(aligned("a1 a1 b1", "a1 b1"), [Some(0), None, Some(1)]);
        assert_eq!(aligned("b1 a1", "b1 c1 a1 a1"), [Some(0), Some(2)]);
    }

    proptest::proptest! {
        #[test]
        fn no_alignment_is_better(b in "([ab][12] ){0,5}", a in "([ab][12] ){0,5}") {
            let (before, after) = (stimuli(&b), stimuli(&a));
            let found = align(&before, &after).0;
            let total = |pairs: &mut dyn Iterator<Item = (usize, usize)>| {
                pairs.fold((0, 0, 0), |t: Score, (i, j)| {
                    let s = score(&before[i], &after[j]).expect("a pair");
                    (t.0 + s.0, t.1 + s.1, t.2 + s.2)
                })
            };
            let own = total(&mut found.iter().enumerate().filter_map(|(i, j)| j.map(|j| (i, j))));
            // every way to pair them in order
            fn best(before: &[Outline], after: &[Outline]) -> Score {
                let (Some((b, rest_b)), Some((a, rest_a))) = (before.split_first(), after.split_first()) else { return (0, 0, 0) };
                let taken = score(b, a).map(|s| { let r = best(rest_b, rest_a); (s.0 + r.0, s.1 + r.1, s.2 + r.2) });
                best(rest_b, after).max(best(before, rest_a)).max(taken.unwrap_or_default())
            }
            proptest::prop_assert_eq!(own, best(&before, &after));
            // both ways come to the same
            let of = |i: usize, j: usize| score(&before[i], &after[j]);
            let mut table = Vec::new();
            search(&of, 0..before.len(), 0..after.len(), &mut table);
            proptest::prop_assert_eq!(cheapest(&of, before.len(), after.len()), Some(table));
        }
    }
}
