//! `redshank.toml`, the repository's own settings.

use crate::policy::{Policy, PolicySource};
use crate::size::Bytes;
use crate::{Error, Result, Worktree, io_error_at, toml_file};
use jiff::civil::Date;
use redshank_rules::PatternSet;
use redshank_rules::RepoPath;
use redshank_rules::attribute_file::Setting;
use serde::Deserialize;
use std::ops::Deref;
use std::path::{Path, PathBuf};
use toml_edit::{Array, Item, Table, value};

/// The name of the file, at the repository's top.
pub const FILE: &str = "redshank.toml";

/// What a repository can set.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Settings {
    /// From which sizes on a file is reported.
    pub limits: GivenLimits,
    /// Sizes for what a pattern matches.
    pub limit: Vec<PatternLimit>,
    /// What must stay ignored, tracked or a candidate.
    pub expect: Vec<Expectation>,
    /// How template rules are written here.
    pub draft: Choices,
    /// Findings that are all right.
    pub accept: Vec<Acceptance>,
    /// Who gets a copy of the repository, if somebody said so; the team, if nobody did.
    pub visibility: Option<Visibility>,
    /// What must not go out.
    pub reserved: Vec<Reserved>,
    /// What the check before each commit stops at.
    pub hook: HookSettings,
    /// The policy that the repository follows.
    pub policy: Option<PolicySource>,
}

/// The check before each commit.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct HookSettings {
    /// Findings of this level and worse ones stop a commit.
    pub level: HookLevel,
}

/// From which level on a finding stops a commit.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum HookLevel {
    /// Errors only.
    #[default]
    Error,
    /// Warnings, too.
    Warning,
}

impl HookLevel {
    /// Its word in the settings.
    pub fn word(self) -> &'static str {
        match self {
            Self::Error => "error",
            Self::Warning => "warning",
        }
    }
}

/// Who gets a copy of a repository.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Visibility {
    /// The team.
    #[default]
    Private,
    /// Everybody.
    Public,
}

/// Files that others may not be given: bought, licensed or internal ones.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Reserved {
    /// Which: a pattern as in an ignore file at the top.
    pub pattern: String,
    /// The reason, in one sentence.
    pub because: String,
}

/// Sizes from which on files are reported that a pattern matches, in the place of the general ones.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct PatternLimit {
    /// Which: a pattern as in an ignore file at the top.
    pub pattern: String,
    /// A file larger than this is a warning.
    pub file: Option<Bytes>,
    /// All of them together over this are a warning.
    pub total: Option<Bytes>,
}

/// How template rules are written in a repository.
#[derive(Debug, Clone, Default, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Choices {
    /// Where they are written.
    pub layout: Layout,
    /// How much is said of each rule in the file.
    pub explain: Explain,
    /// Variants that are chosen: `TEMPLATE/VARIANT`.
    pub variants: Vec<String>,
    /// Patterns of templates that are not wanted here.
    pub without: Vec<String>,
    /// Folders that rules were written for before they are there.
    pub coming: Vec<String>,
}

/// A finding that is accepted. The secret itself is in none of it.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Acceptance {
    /// Id of the accepted finding.
    pub finding: String,
    /// The finder's rule, for people.
    pub rule: String,
    /// The path, for people.
    pub path: String,
    /// Why it is all right.
    pub because: String,
    /// The last day on which it holds; without it, for good.
    pub until: Option<Date>,
}

/// One expectation, as it is in `redshank.toml`.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub struct Expectation {
    /// A path relative to the top, existing or not; one that ends in a slash stands for a folder.
    pub path: Option<String>,
    /// A pattern as in an ignore file at the top: every path that it matches must be in that state.
    pub pattern: Option<String>,
    /// The state that is expected.
    pub state: Option<Expected>,
    /// Or the attribute that it must have, as an attribute file writes it: `eol=lf`, `-text`.
    pub attribute: Option<String>,
    /// The reason; `app/text` has its sentence.
    pub because: Option<String>,
}

/// A state that is expected.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
pub enum Expected {
    /// A rule ignores it.
    Ignored,
    /// git tracks it.
    Tracked,
    /// Not tracked and not ignored.
    Candidate,
    /// Tracked or a candidate: no rule ignores it.
    Kept,
}

impl Expectation {
    /// As the settings hold it.
    pub(crate) fn table(&self) -> Table {
        let mut table = Table::new();
        let texts = [("path", &self.path), ("pattern", &self.pattern)];
        for (key, text) in texts {
            if let Some(text) = text {
                table[key] = value(text);
            }
        }
        if let Some(state) = self.state {
            table["state"] = value(state.word());
        }
        if let Some(attribute) = &self.attribute {
            table["attribute"] = value(attribute);
        }
        if let Some(because) = &self.because {
            table["because"] = value(because);
        }
        table
    }

    /// What is expected, in a word or as an attribute is written.
    pub fn expected(&self) -> &str {
        match (self.state, &self.attribute) {
            (Some(state), _) => state.word(),
            (None, attribute) => attribute.as_deref().unwrap_or_default(),
        }
    }

    /// What is wrong with its form.
    fn fault(&self) -> Option<&'static str> {
        if self.path.is_some() == self.pattern.is_some() {
            return Some("an expectation has either a `path` or a `pattern`");
        }
        if self.state.is_some() == self.attribute.is_some() {
            return Some("an expectation has either a `state` or an `attribute`");
        }
        let attribute = self.attribute.as_deref()?;
        let is_one = Setting::parse(attribute.as_bytes()).is_some();
        (!is_one).then_some("an attribute is written as in an attribute file, such as `eol=lf`")
    }
}

impl Expected {
    /// The word for it in documents and messages.
    pub fn word(self) -> &'static str {
        match self {
            Self::Ignored => "ignored",
            Self::Tracked => "tracked",
            Self::Candidate => "candidate",
            Self::Kept => "kept",
        }
    }
}

/// Where template rules are written.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Layout {
    /// All in the ignore file at the top, fitted to where each project is.
    #[default]
    Top,
    /// Each project's in an ignore file in its own folder.
    Folders,
}

impl Layout {
    /// Its word in the settings.
    pub fn word(self) -> &'static str {
        match self {
            Self::Top => "top",
            Self::Folders => "folders",
        }
    }
}

/// How much is said of each rule in an ignore file.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Explain {
    /// The reason of each.
    Full,
    /// A heading for each few.
    #[default]
    Brief,
    /// Nothing.
    None,
}

impl Explain {
    /// Its word in the settings.
    pub fn word(self) -> &'static str {
        match self {
            Self::Full => "full",
            Self::Brief => "brief",
            Self::None => "none",
        }
    }
}

/// Sizes from which on a file is reported, as far as somebody set them.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct GivenLimits {
    /// A file larger than this is a warning.
    pub file_warning: Option<Bytes>,
    /// A file larger than this is an error.
    pub file_error: Option<Bytes>,
    /// A folder whose files come to more than this is a warning.
    pub folder_warning: Option<Bytes>,
    /// A folder with more files than this is a warning.
    pub folder_files: Option<u64>,
    /// All files of a commit together over this are a warning; no limit without it.
    pub repository: Option<Bytes>,
    /// A push of more than this is a warning; no limit without it.
    pub push: Option<Bytes>,
}

/// Sizes from which on a file is reported.
#[derive(Debug, Clone, Copy)]
pub struct Limits {
    /// A file larger than this is a warning.
    pub file_warning: Bytes,
    /// A file larger than this is an error; most hosts refuse it.
    pub file_error: Bytes,
    /// A folder whose files come to more than this is a warning.
    pub folder_warning: Bytes,
    /// A folder with more files than this is a warning.
    pub folder_files: u64,
    /// All files of a commit together over this are a warning.
    pub repository: Option<Bytes>,
    /// A push of more than this is a warning.
    pub push: Option<Bytes>,
}

impl Default for Limits {
    fn default() -> Self {
        Self {
            file_warning: Bytes(10 << 20),
            file_error: Bytes(100 << 20),
            folder_warning: Bytes(200 << 20),
            folder_files: 5_000,
            repository: None,
            push: None,
        }
    }
}

impl GivenLimits {
    /// How many of them are set.
    pub fn count(&self) -> usize {
        let sizes = [
            self.file_warning,
            self.file_error,
            self.folder_warning,
            self.repository,
            self.push,
        ];
        sizes.iter().flatten().count() + usize::from(self.folder_files.is_some())
    }

    /// These, and where they are silent, others.
    #[must_use]
    pub fn filled_from(&self, others: &Self) -> Self {
        Self {
            file_warning: self.file_warning.or(others.file_warning),
            file_error: self.file_error.or(others.file_error),
            folder_warning: self.folder_warning.or(others.folder_warning),
            folder_files: self.folder_files.or(others.folder_files),
            repository: self.repository.or(others.repository),
            push: self.push.or(others.push),
        }
    }

    /// The limits that hold: these, where they are silent a person's own, else the usual ones.
    pub fn or(&self, personal: &Self) -> Limits {
        let usual = Limits::default();
        let given = self.filled_from(personal);
        Limits {
            file_warning: given.file_warning.unwrap_or(usual.file_warning),
            file_error: given.file_error.unwrap_or(usual.file_error),
            folder_warning: given.folder_warning.unwrap_or(usual.folder_warning),
            folder_files: given.folder_files.unwrap_or(usual.folder_files),
            repository: given.repository,
            push: given.push,
        }
    }
}

impl Settings {
    /// Whether a path, or a folder above it, must not go out.
    pub fn reserves(&self, path: &RepoPath) -> bool {
        self.reserved.iter().any(|row| {
            PatternSet::from(vec![row.pattern.clone()])
                .topmost(path)
                .is_some()
        })
    }

    /// The settings that a text holds; `path` is for messages.
    ///
    /// # Errors
    /// If it is not in the format; the error names the line and what was expected.
    pub fn parse(text: &str, path: &Path) -> Result<Self> {
        let settings: Self = toml_file::read(text, path)?;
        check_expectations(&settings.expect, text, path)?;
        Ok(settings)
    }
}

/// Whether each expectation of a text is of a form that means something.
pub(crate) fn check_expectations(expect: &[Expectation], text: &str, path: &Path) -> Result<()> {
    let mut faults = expect.iter().map(Expectation::fault);
    let Some((nth, Some(fault))) = faults.by_ref().enumerate().find(|(_, one)| one.is_some())
    else {
        return Ok(());
    };
    let head = text.match_indices("[[expect]]").nth(nth);
    Err(Error::Malformed {
        path: path.to_owned(),
        line: head.map_or(1, |(at, _)| toml_file::line_at(text, at)),
        said: fault.to_owned(),
        near: None,
    })
}

/// No settings are larger than this, in bytes.
const LARGEST: u64 = 4 << 20;

/// The settings of a repository and the file that holds them: the only thing that edits it. What
/// can't be read as settings can't be edited, and an edit keeps comments, order and all that it
/// isn't about.
pub struct SettingsFile {
    path: PathBuf,
    text: Option<String>,
    settings: Settings,
    /// The limits that the file itself sets.
    pub own_limits: GivenLimits,
    /// The repository's copy of the policy that it follows, if it has one.
    pub policy_copy: Option<Policy>,
    /// The person's own policy.
    pub personal_policy: Option<Policy>,
}

impl Deref for SettingsFile {
    type Target = Settings;

    fn deref(&self) -> &Settings {
        &self.settings
    }
}

impl SettingsFile {
    /// Reads the settings of a working tree; without the file, the defaults.
    ///
    /// # Errors
    /// If the file can't be read, is not a regular file (a symbolic link could lead anywhere), or
    /// is not in the format; the error names the line and what was expected.
    pub fn read(worktree: &Worktree) -> Result<Self> {
        let path = worktree.path(FILE.into());
        let bytes = worktree
            .root
            .read_if_there(FILE.into(), LARGEST)
            .map_err(io_error_at(&path))?;
        let text = bytes
            .map(|bytes| toml_file::text(bytes, &path))
            .transpose()?;
        let mut read = Self::parse(text, path)?;
        if read.settings.policy.is_some()
            && let Some(policy) = Policy::read(worktree)?
        {
            let limits = &policy.settings.limits;
            read.settings.limits = read.settings.limits.filled_from(limits);
            read.add_rows(&policy);
            read.policy_copy = Some(policy);
        }
        if let Some(policy) = Policy::read_personal()? {
            read.add_rows(&policy);
            read.personal_policy = Some(policy);
        }
        Ok(read)
    }

    /// The settings, to be added to.
    pub(crate) fn settings_mut(&mut self) -> &mut Settings {
        &mut self.settings
    }

    /// The settings that a text holds, or the defaults without one; `path` is the file's.
    ///
    /// # Errors
    /// If it is not in the format; the error names the line and what was expected.
    pub fn parse(text: Option<String>, path: PathBuf) -> Result<Self> {
        let settings = match &text {
            Some(text) => Settings::parse(text, &path)?,
            None => Settings::default(),
        };
        Ok(Self {
            path,
            text,
            own_limits: settings.limits,
            settings,
            policy_copy: None,
            personal_policy: None,
        })
    }

    /// The file's text; nothing if it isn't there.
    pub fn text(&self) -> Option<&str> {
        self.text.as_deref()
    }

    fn held(&self) -> &str {
        self.text.as_deref().unwrap_or_default()
    }

    /// The text with one more finding accepted.
    ///
    /// # Errors
    /// If the text holds acceptances in a form that can't be added to.
    pub fn with_acceptances(&self, acceptances: &[Acceptance]) -> Result<String> {
        let mut text = self.held().to_owned();
        for acceptance in acceptances {
            let mut table = Table::new();
            table["finding"] = value(&acceptance.finding);
            table["rule"] = value(&acceptance.rule);
            table["path"] = value(&acceptance.path);
            table["because"] = value(&acceptance.because);
            if let Some(until) = acceptance.until {
                table["until"] = value(until.to_string());
            }
            text = toml_file::with_table(&text, "[[accept]]", &table);
        }
        self.readable(text, "accept")
    }

    /// The text with another value of a setting, by its name, such as `limits.file_error`.
    ///
    /// # Errors
    /// If the file is not TOML, or could not be read any more with that.
    pub fn with_value(&self, name: &str, text: &str) -> Result<String> {
        let mut document = toml_file::open(self.held(), &self.path)?;
        let value = match text.parse::<i64>() {
            Ok(number) => value(number),
            Err(_) => value(text),
        };
        match name.split_once('.') {
            None => document[name] = value,
            Some((table, key)) => {
                let table = document.entry(table).or_insert(Item::Table(Table::new()));
                let table = table.as_table_like_mut();
                table
                    .ok_or_else(|| Error::NotExtensible {
                        path: self.path.clone(),
                        key: "limits",
                    })?
                    .insert(key, value);
            }
        }
        let text = document.to_string();
        Settings::parse(&text, &self.path)?;
        Ok(text)
    }

    /// The text with another policy to follow, or none.
    ///
    /// # Errors
    /// If the file is not TOML.
    pub fn with_policy(&self, policy: Option<&PolicySource>) -> Result<String> {
        let mut document = toml_file::open(self.held(), &self.path)?;
        document.remove("policy");
        let Some(policy) = policy else {
            return Ok(document.to_string());
        };
        let mut table = Table::new();
        table["from"] = value(&policy.from);
        if let Some(revision) = &policy.revision {
            table["revision"] = value(revision);
        }
        let text = toml_file::with_table(&document.to_string(), "[policy]", &table);
        self.readable(text, "policy")
    }

    /// The text with more expectations.
    ///
    /// # Errors
    /// If the text holds expectations in a form that can't be added to.
    pub fn with_expectations(&self, expectations: &[Expectation]) -> Result<String> {
        let mut text = self.held().to_owned();
        for expected in expectations {
            text = toml_file::with_table(&text, "[[expect]]", &expected.table());
        }
        self.readable(text, "expect")
    }

    /// An edited text, if it can still be read.
    fn readable(&self, text: String, key: &'static str) -> Result<String> {
        match Settings::parse(&text, &self.path) {
            Ok(_) => Ok(text),
            Err(_) => Err(Error::NotExtensible {
                path: self.path.clone(),
                key,
            }),
        }
    }

    /// The text with these choices in the place of the ones it held.
    ///
    /// # Errors
    /// If the file is not TOML.
    pub fn with_choices(&self, choices: &Choices) -> Result<String> {
        let mut document = toml_file::open(self.held(), &self.path)?;
        let mut new = Table::new();
        let known = document.get_mut("draft").and_then(Item::as_table_like_mut);
        let is_new = known.is_none();
        let draft = known.unwrap_or(&mut new);
        if choices.layout == Layout::Folders || draft.contains_key("layout") {
            draft.insert("layout", value(choices.layout.word()));
        }
        if choices.explain != Explain::default() || draft.contains_key("explain") {
            draft.insert("explain", value(choices.explain.word()));
        }
        for (key, values) in [
            ("variants", &choices.variants),
            ("without", &choices.without),
            ("coming", &choices.coming),
        ] {
            if values.is_empty() && key == "coming" {
                draft.remove(key);
            }
            if !values.is_empty() {
                draft.insert(key, value(values.iter().collect::<Array>()));
            }
        }
        let is_empty = draft.is_empty();
        if is_empty && !is_new {
            document.remove("draft");
        }
        self.readable(
            if is_new {
                toml_file::with_table(self.held(), "[draft]", &new)
            } else {
                document.to_string()
            },
            "draft",
        )
    }
}
