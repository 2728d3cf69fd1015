//! What a person prefers in every repository: `config.toml` in their configuration folder.

use crate::choices::{Color, ReachArg, When};
use anyhow::Result;
use redshank_worktree::personal;
use redshank_worktree::policy::Policy;
use redshank_worktree::settings::{FILE, GivenLimits};
use serde::Deserialize;
use std::fmt;

/// The file, as it is written; what isn't in it is as built in.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Preferences {
    /// When to colour the output.
    pub color: Option<Color>,
    /// When names of files are links.
    pub links: Option<When>,
    /// The program that long output is read in; an empty text for none.
    pub pager: Option<String>,
    /// From which sizes on a file is reported, where the repository sets none.
    pub limits: GivenLimits,
    /// How rules are added.
    pub add: Adding,
    /// What Enter alone stands for in `setup`.
    pub setup: Answers,
}

/// How rules are added.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Adding {
    /// Who a rule is for.
    #[serde(rename = "for")]
    pub reach: Option<ReachArg>,
}

/// What Enter alone stands for.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Answers {
    /// A check before each commit.
    pub hook: Option<bool>,
    /// What the rules say now is recorded, for `prove` to test later.
    pub record: Option<bool>,
    /// A sample is written beside an environment file.
    pub sample: Option<bool>,
}

impl Preferences {
    /// Those of anyone who runs the program.
    ///
    /// # Errors
    /// If the file can't be read or isn't in the format.
    pub fn read() -> Result<Self> {
        let mut own: Self = personal::settings()?;
        if let Some(policy) = Policy::read_personal()? {
            own.limits = own.limits.filled_from(&policy.settings.limits);
        }
        Ok(own)
    }
}

/// Where a setting comes from. The nearer one wins: an option, the environment, the repository, the
/// person's own file, what is built in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Origin {
    /// An option of this run.
    Option(&'static str),
    /// A variable of the environment.
    Environment(&'static str),
    /// The repository's redshank.toml.
    Repository,
    /// The policy that the repository follows.
    Policy,
    /// The person's own file.
    Personal,
    /// Nobody set it.
    BuiltIn,
}

impl Origin {
    /// Its word in documents.
    pub fn word(self) -> &'static str {
        match self {
            Self::Option(_) => "option",
            Self::Environment(_) => "environment",
            Self::Repository => "repository",
            Self::Policy => "policy",
            Self::Personal => "personal",
            Self::BuiltIn => "built-in",
        }
    }
}

impl fmt::Display for Origin {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Option(name) => f.pad(name),
            Self::Environment(name) => write!(f, "${name}"),
            Self::Repository => f.pad(FILE),
            Self::Policy => f.pad("policy"),
            Self::Personal => f.pad("yours"),
            Self::BuiltIn => f.pad("built in"),
        }
    }
}

/// By this variable, a pager for this program alone.
const OWN: &str = "REDSHANK_PAGER";

/// By this one, a pager for every program.
const ANY: &str = "PAGER";

/// The pager that is taken where nobody chose one (POSIX has `more`, which keeps no colours).
const USUAL: &str = "less";

/// The pager that counts, an empty text for none, and who chose it.
pub fn pager(own: &Preferences) -> (String, Origin) {
    let set = |name| std::env::var(name).ok();
    if let Some(pager) = set(OWN) {
        return (pager, Origin::Environment(OWN));
    }
    if let Some(pager) = &own.pager {
        return (pager.clone(), Origin::Personal);
    }
    match set(ANY) {
        Some(pager) => (pager, Origin::Environment(ANY)),
        None => (USUAL.to_owned(), Origin::BuiltIn),
    }
}

/// Whether names of files are links; `None` where the terminal decides.
pub fn links(own: &Preferences) -> Option<bool> {
    match own.links.unwrap_or(When::Auto) {
        When::Auto => None,
        When::Always => Some(true),
        When::Never => Some(false),
    }
}
