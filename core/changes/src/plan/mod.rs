//! From findings to a plan: which rules to write, what to stop tracking and what to move out of the
//! way, each step with its reason.

mod builder;
mod contract;
mod file_edits;
mod removal;

use crate::journal::Changes;
use crate::{Error, Result};
use bstr::BString;
use builder::PlanBuilder;
pub(crate) use builder::may_change;
use contract::Breach;
use redshank_findings::{Cause, Finding, Remedy};
use redshank_rules::RepoPathBuf;
use redshank_templates::Survey;
use redshank_worktree::effect::Effect;
use redshank_worktree::{Class, FileStats, Snapshot};

/// What one step does.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum StepKind {
    /// Adds a rule that keeps files out.
    Ignore {
        /// The pattern, as it is written in the file.
        pattern: BString,
        /// Large-file storage would take them instead, were a program for that set up.
        is_for_storage: bool,
    },
    /// Adds a rule that re-includes a file.
    LetIn(BString),
    /// Writes a rule as it was meant.
    Fix {
        /// Path relative to the repository's top.
        from: BString,
        /// As it was meant.
        with: BString,
    },
    /// Adds a line to the attributes at the top.
    Attribute {
        /// The line that is written.
        line: BString,
        /// It sends files to large-file storage.
        is_storage: bool,
    },
    /// Lets a file be run, or no longer.
    Mode {
        /// It may be run afterwards.
        is_executable: bool,
    },
    /// Takes files out of git's index; they stay on disk.
    StopTracking,
    /// Writes a sample without values beside an environment file.
    Sample(RepoPathBuf),
    /// Moves out of the way what can be made again.
    Remove {
        /// What makes it again.
        remake: String,
    },
}

/// Why a step is taken.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum StepReason {
    /// What the rule or the line says of itself.
    Said(String),
    /// What its finding is.
    Finding(Cause),
    /// Rules do nothing for tracked files.
    TrackedFiles,
    /// Their lines end in CR LF, which git would keep as LF.
    LineEnds {
        /// Number of files, without folders.
        files: u64,
    },
    /// Others need the keys of a file, without their values.
    Keys {
        /// Path relative to the repository's top.
        of: RepoPathBuf,
        /// How many of its lines are left out, for they could tell values.
        left_out: usize,
    },
    /// It can be made again.
    Remake {
        /// Command that made the change, as in the journal.
        command: String,
    },
}

/// One step of a plan.
#[derive(Debug, Clone)]
pub struct Step {
    /// What the step does.
    pub kind: StepKind,
    /// Path relative to the repository's top.
    pub path: RepoPathBuf,
    /// The reason; `app/text` has its sentence.
    pub reason: StepReason,
    /// The ids of the findings that it fixes; none for what rules ignore already.
    pub findings: Vec<String>,
    /// How much it concerns.
    pub stats: FileStats,
}

/// What is to be done about findings.
pub struct Plan {
    /// The steps, in the order they are applied.
    pub steps: Vec<Step>,
    /// What only a person can fix.
    pub left: Vec<Finding>,
    /// The changes that the steps come to.
    pub changes: Changes,
    /// What they do to the next commit.
    pub effect: Effect,
}

/// What a plan is to do beside fixing findings.
#[derive(Default, Clone, Copy)]
pub struct PlanOptions<'a> {
    /// What is generated and can be made again by these projects is moved out of the way.
    pub remove: Option<&'a Survey<'a>>,
    /// Samples are written beside environment files that rules ignore already.
    pub with_samples: bool,
    /// How files too large for git are dealt with, where somebody chose.
    pub large: Option<LargeFiles>,
    /// git keeps line endings the same for everybody.
    pub line_ends: bool,
}

/// How files and folders too large for git are dealt with.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LargeFiles {
    /// Rules ignore them.
    Ignore,
    /// All files of their types go to large-file storage.
    StoreType,
    /// All files of their folders do.
    StoreFolder,
    /// They stay in git as they are.
    Keep,
}

impl Plan {
    /// Makes a plan for findings of a snapshot's tree. A rule that is there already, or that
    /// another step adds, is not added again.
    ///
    /// # Errors
    /// If large-file storage is asked for and no program for it is set up, an
    /// ignore file can't be read, a path to stop tracking is in conflict, or git is in the middle
    /// of something that touches a path of the plan.
    pub fn build(
        snapshot: &Snapshot,
        findings: Vec<Finding>,
        options: PlanOptions,
    ) -> Result<Self> {
        let phase = redshank_progress::Phase::Plan.begin();
        let mut findings = findings;
        let mut refused: Vec<Finding> = Vec::new();
        // Each round leaves out the findings whose steps do more than fix them.
        let mut plan = loop {
            let (plan, breach) = Self::build_once(snapshot, findings.clone(), options)?;
            let Some(breach) = breach else {
                break plan;
            };
            let culprits: Vec<Finding> = findings
                .extract_if(.., |finding| breach.is_by(finding))
                .collect();
            if culprits.is_empty() {
                return Err(Error::PlanTooWide { path: breach.path });
            }
            refused.extend(culprits.into_iter().map(|finding| breach.refuse(finding)));
        };
        plan.left.extend(refused);
        phase.seen(plan.steps.len() as u64, 0);
        Ok(plan)
    }

    fn build_once(
        snapshot: &Snapshot,
        findings: Vec<Finding>,
        options: PlanOptions,
    ) -> Result<(Self, Option<Breach>)> {
        // Known before anything is moved, whatever fixes it.
        let needed = findings.iter().filter(|one| one.class() == Class::Needed);
        let needed = needed.map(|finding| finding.path.clone()).collect();
        let mut builder = PlanBuilder::new(snapshot, options, needed)?;
        // Rules as they were meant first; exceptions last, below the rules that they except from.
        let order = |finding: &Finding| match finding.remedy {
            Remedy::Fix { .. } => 1,
            Remedy::KeepOut(_)
            | Remedy::Attribute { .. }
            | Remedy::Mode { .. }
            | Remedy::ByHand(_) => 2,
            Remedy::LetIn { .. } => 3,
        };
        let mut findings = findings;
        findings.sort_by_key(order);
        let mut left = Vec::new();
        for finding in findings {
            for place in &finding.also {
                if let Remedy::KeepOut(_) | Remedy::Attribute { .. } | Remedy::Mode { .. } =
                    place.remedy
                {
                    builder.fix(place)?;
                }
            }
            if !builder.fix(&finding)? {
                left.push(finding);
            }
        }
        if options.with_samples {
            builder.add_samples()?;
        }
        if options.line_ends {
            builder.keep_line_ends()?;
        }
        builder.count_stored();
        builder.finish(left)
    }
}
