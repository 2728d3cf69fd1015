//! Any bytes as a file of rules, against any bytes as a path: no panic, and no time beyond pattern
//! times text.
#![no_main]

use libfuzzer_sys::fuzz_target;
use redshank_rules::{Case, Line, lines};
use std::time::{Duration, Instant};

fuzz_target!(|input: (&[u8], &[u8])| {
    let (file, path) = input;
    for block in redshank_rules::ignore_file::blocks(file) {
        // A block can be replaced wherever it is.
        redshank_rules::ignore_file::with_block(file, &block.place, &block.lines);
    }
    assert_eq!(
        redshank_rules::ignore_file::lines_of(file)
            .map(|line| line.whole)
            .collect::<Vec<_>>()
            .concat(),
        file
    );
    for case in [Case::Sensitive, Case::Blind] {
        for line in lines(file, case) {
            let Line::Rule(rule) = line else { continue };
            let start = Instant::now();
            rule.matches(path.into(), true);
            rule.glob().key();
            assert!(
                start.elapsed() < Duration::from_secs(1),
                "{:?} on {path:?}",
                rule.text
            );
        }
    }
});
