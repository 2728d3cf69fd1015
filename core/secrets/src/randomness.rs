//! How random bytes look.

/// The least bits a character for its alphabet: what is typed by hand, counts up or repeats itself,
/// has fewer.
pub(super) fn is_random(value: &[u8]) -> bool {
    let body: Vec<u8> = value
        .iter()
        .copied()
        .filter(u8::is_ascii_alphanumeric)
        .collect();
    let length = body.len().min(40) as f64;
    let is_hex = body.iter().rev().take(32).all(u8::is_ascii_hexdigit);
    let most = if is_hex {
        4.0_f64.min(length.log2())
    } else {
        length.log2()
    };
    bits(&body) >= 0.6 * most && longest_run(&body) < 6
}

/// Shannon's entropy of the bytes, in bits a byte.
pub(super) fn bits(value: &[u8]) -> f64 {
    let mut counts = [0_u32; 256];
    value
        .iter()
        .for_each(|byte| counts[usize::from(*byte)] += 1);
    let length = value.len() as f64;
    let share = |count: &u32| f64::from(*count) / length;
    counts
        .iter()
        .filter(|count| **count > 0)
        .map(share)
        .map(|share| -share * share.log2())
        .sum()
}

/// How many bytes in a row are equal, or count up or down by one.
pub(super) fn longest_run(value: &[u8]) -> usize {
    let steps: Vec<i16> = value
        .windows(2)
        .map(|pair| i16::from(pair[1]) - i16::from(pair[0]))
        .collect();
    let runs = steps
        .chunk_by(|a, b| a == b)
        .filter(|run| (-1..=1).contains(&run[0]));
    runs.map(|run| run.len() + 1).max().unwrap_or(1)
}
