use super::secret::masked;
use crate::ignore_file::NewRule;
use crate::size::Bytes;
use crate::tree::{Entry, State};
use bstr::{BStr, BString, ByteSlice};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::fmt;

/// What is wrong with a file, in the order in which to deal with it.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema,
)]
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
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
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
    /// A rule that lets it in.
    LetIn {
        /// The folder whose ignore file takes the rule: empty, or with a slash at its end.
        folder: BString,
        /// The rule.
        rule: NewRule,
    },
    /// A rule written as it was meant.
    Mend {
        /// The ignore file that holds it.
        file: BString,
        /// Its line, from 1.
        line: u32,
        /// The line as it stands, without its end.
        from: BString,
        /// What is to stand there; perhaps several lines.
        with: BString,
    },
    /// The name that was meant.
    Rename(BString),
    /// A line for the attributes at the top (gitattributes(5)), as its pattern.
    Attribute(NewRule),
    /// Something that only a person can do, in words.
    ByHand(String),
}

/// What became of a file so far.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Past {
    /// How many commits added or changed it.
    pub commits: u64,
    /// The day of the first one.
    pub since: String,
    /// The first one's name.
    pub first: String,
    /// The remote branches that hold it.
    pub remotes: Vec<String>,
}

impl Past {
    /// In words.
    pub fn in_words(&self) -> String {
        let many = if self.commits == 1 {
            "1 commit".to_owned()
        } else {
            format!("{} commits", self.commits)
        };
        let first = &self.first[..self.first.len().min(10)];
        let on = if self.remotes.is_empty() {
            String::new()
        } else {
            format!(", on {}", self.remotes.join(", "))
        };
        format!("in {many} since {} ({first}){on}", self.since)
    }
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
    /// Its file's past, where it matters.
    pub past: Option<Past>,
    /// The same in other places, each with what mends it there.
    pub also: Vec<Self>,
    /// What it is, for people.
    pub message: String,
    /// What gives it away; never a whole secret.
    pub evidence: Option<String>,
    /// What mends it.
    pub remedy: Remedy,
}

impl Finding {
    /// A finding on a path, by the last part of its rule's name. What else is known of it is added
    /// with the methods below.
    pub(crate) fn new(
        class: Class,
        name: &str,
        level: Level,
        path: &BStr,
        message: impl Into<String>,
    ) -> Self {
        let rule = format!("{class}/{name}");
        Self {
            id: Self::identity(&rule, path, b""),
            class,
            rule,
            level,
            path: path.to_owned(),
            line: None,
            size: None,
            files: 1,
            state: State::Candidate,
            exposure: Exposure::Disk,
            past: None,
            also: Vec::new(),
            message: masked(&message.into()),
            evidence: None,
            remedy: Remedy::ByHand(String::new()),
        }
    }

    /// A finding on an entry of the tree.
    pub(crate) fn on(
        entry: &Entry,
        class: Class,
        name: &str,
        level: Level,
        message: impl Into<String>,
    ) -> Self {
        let made = Self::new(class, name, level, entry.path.as_bstr(), message);
        Self {
            size: Some(entry.size),
            state: entry.state,
            ..made
        }
    }

    /// This place and the others.
    pub fn places(&self) -> impl Iterator<Item = &Self> {
        std::iter::once(self).chain(&self.also)
    }

    pub(crate) fn each_place(&mut self, change: &mut dyn FnMut(&mut Self)) {
        change(self);
        self.also.iter_mut().for_each(change);
    }

    /// What sets it apart from others of its rule on its path.
    pub(crate) fn with_cause(self, cause: &[u8]) -> Self {
        Self {
            id: Self::identity(&self.rule, self.path.as_bstr(), cause),
            ..self
        }
    }

    pub(crate) fn with_evidence(self, evidence: impl Into<String>) -> Self {
        Self {
            evidence: Some(masked(&evidence.into())),
            ..self
        }
    }

    pub(crate) fn at_line(self, line: u64) -> Self {
        Self {
            line: Some(line),
            ..self
        }
    }

    /// Mended by a rule that keeps it out.
    pub(crate) fn kept_out_by(
        self,
        pattern: BString,
        reason: impl Into<String>,
        remake: Option<String>,
    ) -> Self {
        Self {
            remedy: Remedy::KeepOut(NewRule {
                pattern,
                reason: reason.into(),
                remake,
            }),
            ..self
        }
    }

    /// Mended by an exception in the ignore file of a folder.
    pub(crate) fn let_in_by(self, folder: BString, rule: NewRule) -> Self {
        Self {
            remedy: Remedy::LetIn { folder, rule },
            ..self
        }
    }

    /// Mended by a person only.
    pub(crate) fn by_hand(self, words: impl Into<String>) -> Self {
        Self {
            remedy: Remedy::ByHand(words.into()),
            ..self
        }
    }

    /// An identity that depends on the rule, the path and what else sets causes apart; nothing can
    /// be read out of it.
    fn identity(rule: &str, path: &BStr, cause: &[u8]) -> String {
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
                format!(
                    "stop tracking it (it stays on disk) and ignore it with `{pattern}`: redshank tidy"
                )
            }
            Remedy::KeepOut(NewRule { pattern, .. }) => {
                format!("ignore it with `{pattern}`: redshank tidy")
            }
            Remedy::LetIn {
                rule: NewRule { pattern, .. },
                ..
            } => format!("let it in with `{pattern}`: redshank tidy"),
            Remedy::Mend { with, .. } => {
                let rule = with.lines().next_back().unwrap_or_default().as_bstr();
                format!("write `{rule}`: redshank tidy")
            }
            Remedy::Rename(name) => format!("call it {name}: redshank tidy"),
            Remedy::Attribute(NewRule { pattern, .. }) => {
                format!("say `{pattern}` in .gitattributes: redshank tidy")
            }
            Remedy::ByHand(words) => words.clone(),
        };
        match (self.class, self.exposure) {
            (Class::Secret, Exposure::Committed) => {
                words += "; it stays in the history, so replace it at its issuer before you push";
            }
            (Class::Secret, Exposure::Pushed) => {
                words += "; others have it already, so replace it at its issuer now"
            }
            (Class::Oversized, Exposure::Committed) => {
                words += "; the history carries it until that is written anew, which is easy before a push";
            }
            (Class::Oversized, Exposure::Pushed) => {
                words += "; every clone carries it until the history is written anew";
            }
            _ => {}
        }
        if let Some(past) = &self.past {
            words += &format!("; {}", past.in_words());
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
