//! Bringing a newer template into a block that people may have edited.
//!
//! What was written into a block is remembered. So every line has one of four histories:
//! - written, and there: it is the template's, and goes if the template no longer has it;
//! - written, and not there: the person took it out or changed it, and it does not come back;
//! - not written, but there: it is the person's, and stays where it is;
//! - not written, not there, but in the template: it is new, and comes in behind the template's
//!   line before it.

use bstr::BString;

/// What came of a block.
pub(crate) struct Refreshed {
    /// Its lines as they should be.
    pub(crate) lines: Vec<BString>,
    /// Lines that came in.
    pub(crate) added: Vec<BString>,
    /// Lines that the template no longer has.
    pub(crate) retired: Vec<BString>,
}

/// The lines of a block with the template's as they are now; `lines` holds none that the person
/// took out.
pub(crate) fn refreshed(
    here: &[BString],
    lines: &[BString],
    wrote: &dyn Fn(&BString) -> bool,
) -> Refreshed {
    let (retired, mut now): (Vec<BString>, Vec<BString>) = here
        .iter()
        .cloned()
        .partition(|line| wrote(line) && !lines.contains(line));
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
    Refreshed {
        lines: now,
        added,
        retired,
    }
}
