use serde::{Deserialize, Serialize};
use std::fmt;

/// What is wrong with a file, in the order in which to deal with it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
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
    pub const ALL: [Self; 7] = [
        Self::Secret,
        Self::Oversized,
        Self::Generated,
        Self::Personal,
        Self::Reserved,
        Self::Needed,
        Self::Rule,
    ];

    /// The word for it in documents and messages.
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

impl fmt::Display for Class {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.word())
    }
}
