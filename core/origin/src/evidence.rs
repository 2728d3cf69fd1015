//! What speaks for one origin or another, and how much.

use crate::weights;
use bstr::BString;
use redshank_rules::RepoPathBuf;
use serde::Serialize;
use std::fmt;

/// Where a file comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
pub enum Origin {
    /// A person wrote it, or put it there on purpose.
    Authored,
    /// A tool made it, from what is here or from what it saw when it ran.
    Generated,
    /// A package manager or the like fetched it.
    Installed,
    /// It belongs to one person or machine.
    Local,
    /// Nothing vouches for any of these.
    Unknown,
}

impl Origin {
    /// All origins, in order.
    pub const ALL: [Self; 5] = [
        Self::Authored,
        Self::Generated,
        Self::Installed,
        Self::Local,
        Self::Unknown,
    ];

    /// The word for it in documents and messages.
    pub fn word(self) -> &'static str {
        match self {
            Self::Authored => "authored",
            Self::Generated => "generated",
            Self::Installed => "installed",
            Self::Local => "local",
            Self::Unknown => "unknown",
        }
    }

    /// Whether it comes back without a person: generated, installed or local.
    pub fn is_made(self) -> bool {
        matches!(self, Self::Generated | Self::Installed | Self::Local)
    }
}

impl fmt::Display for Origin {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.word())
    }
}

/// How much a judgement is worth, the least first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
pub enum Strength {
    /// More for it than against it.
    Hint,
    /// What one would bet on.
    Likely,
    /// What several witnesses say, or one who is hardly ever wrong.
    Strong,
    /// Nobody but a tool, or nobody but a person, leaves such a file.
    Certain,
}

impl Strength {
    /// How strongly a sum of weights speaks for a made file; nothing if it doesn't.
    fn of_made(sum: i32) -> Option<Self> {
        match sum {
            ..2 => None,
            2..5 => Some(Self::Hint),
            5..12 => Some(Self::Likely),
            12..25 => Some(Self::Strong),
            25.. => Some(Self::Certain),
        }
    }

    /// How strongly evidence speaks for an author; nothing if it doesn't.
    fn of_authored(sum: i32) -> Option<Self> {
        match -sum {
            ..4 => None,
            4..8 => Some(Self::Hint),
            8..14 => Some(Self::Likely),
            14..25 => Some(Self::Strong),
            25.. => Some(Self::Certain),
        }
    }

    /// The word for it in documents.
    pub fn word(self) -> &'static str {
        match self {
            Self::Hint => "hint",
            Self::Likely => "likely",
            Self::Strong => "strong",
            Self::Certain => "certain",
        }
    }
}

/// How much likelier evidence is on a made file than on an authored one, in decibans: ten times the
/// decimal logarithm of that ratio. Below zero, it speaks for an author.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(transparent)]
pub struct Weight(pub i32);

/// Who gives evidence; one file each in `witnesses/`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Witness {
    /// The project's own settings, scripts and sources name what they make.
    Declared,
    /// The template of a tool.
    Tool,
    /// The file itself says that a tool wrote it.
    SaysSo,
    /// Its first bytes.
    Format,
    /// What it was made of is here, too.
    Derived,
    /// Its name.
    Name,
    /// The language that it is written in.
    Language,
    /// The folders that it is in.
    Place,
    /// An authored file refers to it.
    Referenced,
    /// What is in the same folder.
    Neighbours,
    /// A rehearsal saw it come back.
    Rebuilt,
}

impl Witness {
    /// Its name in documents and in the table of weights.
    pub fn word(self) -> &'static str {
        match self {
            Self::Declared => "declared",
            Self::Tool => "tool",
            Self::SaysSo => "says-so",
            Self::Format => "format",
            Self::Derived => "derived",
            Self::Name => "name",
            Self::Language => "language",
            Self::Place => "place",
            Self::Referenced => "referenced",
            Self::Neighbours => "neighbours",
            Self::Rebuilt => "rebuilt",
        }
    }
}

/// One thing that speaks for or against a file's being made.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Evidence {
    /// Who gives it.
    pub witness: Witness,
    /// Which kind of evidence of that witness: a row of its table.
    pub row: &'static str,
    /// Which of that row, where these were measured apart: a name of a folder, an ending.
    pub word: &'static str,
    /// How much it says.
    pub weight: Weight,
    /// What it speaks for, if it speaks for a made file.
    pub made: Origin,
    /// What it is about; `app/text` has the sentence.
    pub detail: Detail,
}

impl Evidence {
    /// Evidence of that row, with its measured weight.
    pub(crate) fn new(witness: Witness, row: &'static str, detail: Detail) -> Self {
        Self {
            witness,
            row,
            word: "",
            weight: weights::of(witness, row, ""),
            made: Origin::Generated,
            detail,
        }
    }

    /// The same, of one of the row's words.
    pub(crate) fn with_word(self, word: &'static str) -> Self {
        let weight = weights::of(self.witness, self.row, word);
        Self {
            word,
            weight,
            ..self
        }
    }

    /// The same, for another origin than generated.
    pub(crate) fn with_origin(self, made: Origin) -> Self {
        Self { made, ..self }
    }

    /// What it says, in a few words for a comment.
    pub fn summary(&self) -> String {
        match &self.detail {
            Detail::Said(said) => (*said).to_owned(),
            Detail::Template { reason, .. } => reason.clone(),
            Detail::NamedBy { file, .. } if self.witness == Witness::Referenced => {
                format!("part of the pages that a tool made, such as {file}")
            }
            Detail::NamedBy { file, .. } => format!("made by the project itself, says {file}"),
            Detail::MadeOf(source) => format!("made from {source}"),
            Detail::MadeBy(command) => format!("made again by `{command}`"),
            Detail::Neighbours { folder, .. } => format!("made with all else in {folder}"),
            Detail::Folder(_) | Detail::Extension(_) | Detail::Name => {
                "made by a tool, as its name and its place say".to_owned()
            }
        }
    }

    /// The name of its kind, as in the table of weights: `derived/beside`.
    pub fn kind(&self) -> String {
        let (witness, row) = (self.witness.word(), self.row);
        match self.word {
            "" => format!("{witness}/{row}"),
            word => format!("{witness}/{row}.{word}"),
        }
    }
}

/// What evidence is about.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Detail {
    /// A row of a table says it in a sentence of its own.
    Said(&'static str),
    /// A template's rule, in its own words.
    Template {
        /// The template's name.
        name: String,
        /// Why what the rule matches doesn't belong.
        reason: String,
    },
    /// A file of the project names it.
    NamedBy {
        /// The file, relative to the top.
        file: RepoPathBuf,
        /// Line number, from 1.
        line: u32,
    },
    /// The file that it was made of.
    MadeOf(RepoPathBuf),
    /// A command made it again where it was missing.
    MadeBy(String),
    /// The folder whose name says it.
    Folder(BString),
    /// How its name ends.
    Extension(&'static str),
    /// Its name.
    Name,
    /// So many files beside it are made, and none is authored.
    Neighbours {
        /// The folder, relative to the top.
        folder: RepoPathBuf,
        /// How many of its files are made.
        made: u64,
    },
}

/// Where a file comes from, and by what evidence.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Judgement {
    /// The origin that the evidence speaks for.
    pub origin: Origin,
    /// How strongly; nothing for an unknown origin.
    pub strength: Option<Strength>,
    /// The sum of all weights.
    pub weight: Weight,
    /// All of it, the weightiest first.
    pub evidence: Vec<Evidence>,
}

impl Judgement {
    /// Weighs evidence: the sum, with what is so of any file. What is said twice counts once.
    pub(crate) fn weigh(mut evidence: Vec<Evidence>) -> Self {
        evidence.sort_by_key(|one| (-one.weight.0.abs(), one.witness, one.row, one.word));
        evidence.dedup_by_key(|one| (one.witness, one.row, one.word));
        let said: i32 = evidence.iter().map(|one| one.weight.0).sum();
        let sum = weights::of_any_file().0 + said;
        let made = evidence
            .iter()
            .find(|one| one.weight.0 > 0)
            .map_or(Origin::Generated, |one| one.made);
        // What nothing is known of, is not authored for that: only evidence makes it so.
        let (origin, strength) = match (Strength::of_made(sum), Strength::of_authored(said)) {
            (Some(strength), _) => (made, Some(strength)),
            (None, Some(strength)) => (Origin::Authored, Some(strength)),
            (None, None) => (Origin::Unknown, None),
        };
        let weight = Weight(sum);
        Self {
            origin,
            strength,
            weight,
            evidence,
        }
    }

    /// Whether it is made by a tool, fetched or local, at least that strongly.
    pub fn is_made(&self, least: Strength) -> bool {
        self.origin.is_made() && self.strength >= Some(least)
    }

    /// Whether it is authored, at least that strongly.
    pub fn is_authored(&self, least: Strength) -> bool {
        self.origin == Origin::Authored && self.strength >= Some(least)
    }

    /// A judgement that rests on a template's word.
    pub fn by_template(origin: Origin) -> Self {
        let found = Evidence::new(Witness::Tool, "mark", Detail::Name);
        Self {
            origin,
            strength: Some(Strength::Certain),
            weight: Weight(50),
            evidence: vec![found],
        }
    }

    /// Whether it rests on a template's word.
    pub fn is_by_template(&self) -> bool {
        matches!(self.evidence.as_slice(), [one] if one.witness == Witness::Tool && one.detail == Detail::Name)
    }

    /// A judgement that a person made: it is authored, whatever it looks like.
    pub fn by_policy() -> Self {
        Self {
            origin: Origin::Authored,
            strength: Some(Strength::Certain),
            weight: Weight(-50),
            evidence: Vec::new(),
        }
    }

    /// Whether it rests on what a person said.
    pub(crate) fn is_by_policy(&self) -> bool {
        self.evidence.is_empty() && self.is_authored(Strength::Certain)
    }

    /// The weightiest evidence for the origin.
    pub fn reason(&self) -> Option<&Evidence> {
        self.evidence
            .iter()
            .find(|one| (one.weight.0 > 0) == self.origin.is_made())
    }
}
