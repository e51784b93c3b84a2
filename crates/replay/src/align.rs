//! Aligning stimuli: lane by lane, case by case, in order.

use rustc_hash::FxHashMap;

use crate::outline::Outline;

/// Beyond this many cells a lane is aligned in pieces.
const CELLS: usize = 1_200_000_000;

/// Pairs the stimuli of two recordings, given by their places: for each before its partner after.
pub(crate) fn align(before: &[Outline], after: &[Outline]) -> Vec<Option<usize>> {
    let mut partners = vec![None; before.len()];
    let lanes_after = by_lane(after);
    for (lane, of_before) in by_lane(before) {
        let Some(of_after) = lanes_after.get(&lane) else { continue };
        for (i, j) in lane_pairs(before, after, &of_before, of_after) {
            partners[i] = Some(j);
        }
    }
    partners
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

fn is_same(b: &Outline, a: &Outline) -> bool {
    (b.identity, b.arguments, b.tree) == (a.identity, a.arguments, a.tree)
}

fn lane_pairs(before: &[Outline], after: &[Outline], b: &[usize], a: &[usize]) -> Vec<(usize, usize)> {
    let same = |i: &usize, j: &usize| is_same(&before[*i], &after[*j]);
    // what is the same at both ends needs no search
    let head = b.iter().zip(a).take_while(|(i, j)| same(i, j)).count();
    let rest = b.len().min(a.len()) - head;
    let tail = b.iter().rev().zip(a.iter().rev()).take(rest).take_while(|(i, j)| same(i, j)).count();
    let mut pairs: Vec<(usize, usize)> = (0..head).map(|k| (k, k)).collect();
    let (mb, ma) = (&b[head..b.len() - tail], &a[head..a.len() - tail]);
    let of = |i: usize, j: usize| score(&before[mb[i]], &after[ma[j]]);
    let mut middle = Vec::new();
    search(&of, 0..mb.len(), 0..ma.len(), &mut middle);
    pairs.extend(middle.into_iter().map(|(i, j)| (head + i, head + j)));
    pairs.extend((0..tail).rev().map(|k| (b.len() - 1 - k, a.len() - 1 - k)));
    if mb.len() != ma.len() {
        earlier(&mut pairs, head, &|i, j| score(&before[b[i]], &after[a[j]]));
    }
    pairs.into_iter().map(|(i, j)| (b[i], a[j])).collect()
}

/// Of alignments that are as good, the one that pairs earlier stimuli: a pair goes as far back as what stands before it
/// leaves room for one that is as good.
fn earlier(pairs: &mut [(usize, usize)], from: usize, score: &dyn Fn(usize, usize) -> Option<Score>) {
    for at in from..pairs.len() {
        let (least_b, least_a) = at.checked_sub(1).map_or((0, 0), |p| (pairs[p].0 + 1, pairs[p].1 + 1));
        let (i, j) = pairs[at];
        let worth = score(i, j);
        if let Some(earlier) = (least_b..i).find(|x| score(*x, j) == worth) {
            pairs[at].0 = earlier;
        }
        let i = pairs[at].0;
        if let Some(earlier) = (least_a..j).find(|x| score(i, *x) == worth) {
            pairs[at].1 = earlier;
        }
    }
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
            unordered: false,
            deferred: Box::default(),
        };
        text.split_whitespace().map(one).collect()
    }

    fn aligned(before: &str, after: &str) -> Vec<Option<usize>> {
        align(&stimuli(before), &stimuli(after))
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
            let found = align(&before, &after);
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
        }
    }
}
