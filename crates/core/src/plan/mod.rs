//! From findings to a plan: which rules to write, what to stop tracking and what to move out of the
//! way, each step with its reason.

mod making;
mod removal;
mod texts;

use crate::Result;
use crate::effect::{Amount, Effect};
use crate::findings::{Class, Finding, Remedy};
use crate::journal::Changes;
use crate::templates::Survey;
use crate::tree::{Place, Tree};
use bstr::{BString, ByteSlice};
use making::Making;

/// What one step does.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Act {
    /// Adds a rule that keeps files out.
    Ignore(BString),
    /// Adds a rule that lets a file in.
    LetIn(BString),
    /// Writes a rule as it was meant.
    Mend {
        /// As it stands.
        from: BString,
        /// As it was meant.
        with: BString,
    },
    /// Gives a file the name that was meant.
    Rename(BString),
    /// Adds a line to the attributes at the top.
    Attribute(BString),
    /// Takes files out of git's index; they stay on disk.
    StopTracking,
    /// Writes a sample without values beside an environment file.
    Sample(BString),
    /// Moves out of the way what can be made again.
    Remove {
        /// What makes it again.
        remake: String,
    },
}

/// One step.
#[derive(Debug, Clone)]
pub struct Step {
    /// What it does.
    pub act: Act,
    /// For which path; a folder ends in a slash.
    pub path: BString,
    /// Why.
    pub reason: String,
    /// The ids of the findings that it mends; none for what rules keep out already.
    pub findings: Vec<String>,
    /// How much it concerns.
    pub amount: Amount,
}

/// What is to be done about findings.
pub struct Plan {
    /// In order.
    pub steps: Vec<Step>,
    /// What only a person can mend.
    pub left: Vec<Finding>,
    /// The changes that the steps come to.
    pub changes: Changes,
    /// What they do to the next commit.
    pub effect: Effect,
}

impl Plan {
    /// Makes a plan for findings of a tree. A rule that stands already, or that another step adds,
    /// is not added again. With a survey, what is generated and can be made again is moved out of
    /// the way, too.
    ///
    /// # Errors
    /// If an ignore file can't be read, a path to stop tracking is in conflict, or git is in the
    /// middle of something that touches a path of the plan.
    pub fn of(
        place: &Place,
        tree: &Tree,
        findings: Vec<Finding>,
        remove: Option<&Survey>,
    ) -> Result<Self> {
        // Known before anything is moved, whatever mends it.
        let needed = findings
            .iter()
            .filter(|finding| finding.class == Class::Needed)
            .map(|finding| finding.path.clone());
        let mut making = Making::start(place, tree, remove, needed.collect());
        let mut left = Vec::new();
        // Names first, and rules as they were meant; exceptions last, below the rules that they
        // except from.
        let order = |finding: &Finding| match finding.remedy {
            Remedy::Rename(_) => 0,
            Remedy::Mend { .. } => 1,
            Remedy::KeepOut(_) | Remedy::Attribute(_) | Remedy::ByHand(_) => 2,
            Remedy::LetIn { .. } => 3,
        };
        let mut findings = findings;
        findings.sort_by_key(order);
        for finding in findings {
            for place in &finding.also {
                if let Remedy::KeepOut(rule) = place.remedy.clone() {
                    making.keep_out(place, rule)?;
                }
            }
            match finding.remedy.clone() {
                Remedy::KeepOut(rule) => making.keep_out(&finding, rule)?,
                Remedy::LetIn { folder, rule } => {
                    making.let_in(&finding, folder.as_bstr(), rule)?
                }
                Remedy::Mend {
                    file,
                    line,
                    from,
                    with,
                } => making.mend(&finding, file, line, from, with)?,
                Remedy::Rename(name) => making.rename(&finding, name)?,
                Remedy::Attribute(line) => making.add_attribute(&finding, line)?,
                Remedy::ByHand(_) => left.push(finding),
            }
        }
        making.finish(left)
    }
}
