use crate::ignore_file::NewRule;
use crate::size::Bytes;
use crate::tree::State;
use bstr::{BStr, BString};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::fmt;

/// What is wrong with a file, in the order in which to deal with it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Class {
    /// Somebody who gets it can do harm with it.
    Secret,
    /// Too large for git.
    Oversized,
    /// A tool makes it.
    Generated,
    /// Belongs to one person or machine.
    Personal,
    /// Must not go out.
    Reserved,
    /// Left out and needed.
    Needed,
    /// A rule that doesn't do what it seems to.
    Rule,
}

impl Class {
    /// All classes, in order.
    pub const ALL: [Self; 7] =
        [Self::Secret, Self::Oversized, Self::Generated, Self::Personal, Self::Reserved, Self::Needed, Self::Rule];

    /// Its word.
    pub fn word(self) -> &'static str {
        match self {
            Self::Secret => "secret",
            Self::Oversized => "oversized",
            Self::Generated => "generated",
            Self::Personal => "personal",
            Self::Reserved => "reserved",
            Self::Needed => "needed",
            Self::Rule => "rule",
        }
    }
}

/// How bad it is, the worst first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Level {
    /// Don't commit before it's dealt with.
    Error,
    /// It doesn't belong.
    Warning,
    /// Worth knowing.
    Note,
}

impl Level {
    /// Its word.
    pub fn word(self) -> &'static str {
        match self {
            Self::Error => "error",
            Self::Warning => "warning",
            Self::Note => "note",
        }
    }
}

/// How far a file got.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Exposure {
    /// Only on this disk.
    Disk,
    /// In the index.
    Staged,
    /// In a commit.
    Committed,
    /// In a commit that another machine has.
    Pushed,
}

/// What mends a finding.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Remedy {
    /// A rule that keeps it out; and if git tracks it, git stops.
    ///
    /// The rule is for the ignore file at the top.
    KeepOut(NewRule),
    /// A rule that lets it in, for the ignore file at the top.
    LetIn(NewRule),
    /// Something that only a person can do, in words.
    ByHand(String),
}

/// Something that should be tracked and isn't, or is (or would be) and shouldn't.
#[derive(Debug, Clone)]
pub struct Finding {
    /// The same as long as its cause is the same.
    pub id: String,
    /// What is wrong.
    pub class: Class,
    /// Which finder's which rule, as `class/name`.
    pub rule: String,
    /// How bad it is.
    pub level: Level,
    /// Relative to the top; a folder ends in a slash and stands for all in it.
    pub path: BString,
    /// From 1.
    pub line: Option<u64>,
    /// In bytes; of a folder, the sum of its files.
    pub size: Option<Bytes>,
    /// How many files it stands for.
    pub files: u64,
    /// git's verdict on the path.
    pub state: State,
    /// How far it got.
    pub exposure: Exposure,
    /// What it is, for people.
    pub message: String,
    /// What gives it away; never a whole secret.
    pub evidence: Option<String>,
    /// What mends it.
    pub remedy: Remedy,
}

impl Finding {
    /// An identity that depends on the rule, the path and what else sets causes apart; nothing can be read out of it.
    pub(crate) fn identity(rule: &str, path: &BStr, cause: &[u8]) -> String {
        let mut hash = blake3::Hasher::new();
        for part in [rule.as_bytes(), path, cause] {
            hash.update(&(part.len() as u64).to_le_bytes());
            hash.update(part);
        }
        hash.finalize().to_hex()[..12].to_owned()
    }

    /// What mends it, in a sentence.
    pub fn remedy_in_words(&self) -> String {
        let tracked = self.state == State::Tracked;
        let mut words = match &self.remedy {
            Remedy::KeepOut(NewRule { pattern, .. }) if tracked => {
                format!("stop tracking it (it stays on disk) and ignore it with `{pattern}`: redshank tidy")
            }
            Remedy::KeepOut(NewRule { pattern, .. }) => format!("ignore it with `{pattern}`: redshank tidy"),
            Remedy::LetIn(NewRule { pattern, .. }) => format!("let it in with `{pattern}`: redshank tidy"),
            Remedy::ByHand(words) => words.clone(),
        };
        if self.class == Class::Secret {
            words += match self.exposure {
                Exposure::Disk | Exposure::Staged => "",
                Exposure::Committed => "; it stays in the history, so replace it at its issuer before you push",
                Exposure::Pushed => "; others have it already, so replace it at its issuer now",
            };
        }
        words
    }
}

impl fmt::Display for Class {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.word())
    }
}

impl fmt::Display for Level {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.word())
    }
}
