//! Bringing a newer template into a block that people may have edited.
//!
//! A block remembers a trace of each line that was written into it. So every line has one of four
//! histories:
//! - written, and there: it is the template's, and goes if the template no longer has it;
//! - written, and not there: the person took it out or changed it, and it does not come back;
//! - not written, but there: it is the person's, and stays where it is;
//! - not written, not there, but in the template: it is new, and comes in behind the template's
//!   line before it.

use bstr::BString;
use redshank_worktree::ignore_file::{Block, Trace, trace};
use std::collections::BTreeSet;

/// What came of a block.
pub struct Refreshed {
    /// The block as it should be.
    pub block: Block,
    /// Lines that came in.
    pub added: Vec<BString>,
    /// Lines that the template no longer has.
    pub retired: Vec<BString>,
}

/// Whether a line was written into the block and is gone. Where the block's memory is lost, every
/// line that isn't there counts as taken out.
pub(crate) fn is_taken_out(block: &Block, line: &BString) -> bool {
    !block.lines.contains(line)
        && block
            .wrote
            .as_ref()
            .is_none_or(|wrote| wrote.contains(&trace(line)))
}

/// The block with the template's lines as they are now; `lines` holds none that the person took
/// out.
pub fn refreshed(block: &Block, lines: &[BString], revision: u32) -> Refreshed {
    let none = BTreeSet::new();
    let wrote = block.wrote.as_ref().unwrap_or(&none);
    let is_retired = |line: &&BString| wrote.contains(&trace(line)) && !lines.contains(line);
    let retired: Vec<BString> = block.lines.iter().filter(is_retired).cloned().collect();
    let mut now: Vec<BString> = block
        .lines
        .iter()
        .filter(|line| !is_retired(line))
        .cloned()
        .collect();
    let mut added = Vec::new();
    let mut behind = 0;
    for line in lines {
        match now.iter().position(|known| known == line) {
            Some(at) => behind = at + 1,
            None => {
                now.insert(behind, line.clone());
                added.push(line.clone());
                behind += 1;
            }
        }
    }
    let here: BTreeSet<Trace> = block.lines.iter().map(|line| trace(line)).collect();
    let taken_out = wrote.difference(&here).copied();
    let wrote = Some(
        lines
            .iter()
            .map(|line| trace(line))
            .chain(taken_out)
            .collect(),
    );
    let block = Block {
        label: block.label.clone(),
        revision,
        lines: now,
        wrote,
        place: block.place.clone(),
    };
    Refreshed {
        block,
        added,
        retired,
    }
}
