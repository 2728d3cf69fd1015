//! The format of a template file (TOML); docs/templates.md explains it to people.

use crate::tools_names::is_tools_name;
use redshank_worktree::Class;
use redshank_worktree::settings::Choices;
use serde::{Deserialize, Serialize};
use std::fmt;
use std::path::PathBuf;

/// Rules for one project type.
#[derive(Debug, Clone, Deserialize, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub struct Template {
    /// One word, lower case; how it is asked for.
    pub name: String,
    /// What it is for, in a few words.
    pub title: String,
    /// Grows by one with every change.
    pub revision: u32,
    /// What kind of thing it covers, which also says where its rules hold.
    pub group: Group,
    /// Templates that usually come with it: anyone who asks for this one gets those, too.
    #[serde(default)]
    pub with: Vec<String>,
    /// Templates that say nothing new where this one is recognised in the same folder.
    #[serde(default)]
    pub outranks: Vec<String>,
    /// How a project of this type is recognised; any one suffices.
    #[serde(default)]
    pub recognise: Vec<Marker>,
    /// Folders that are recognised by what is in them, whatever their name.
    #[serde(default)]
    pub folder: Vec<FolderMark>,
    /// The rules, relative to the project's folder, in the order they are to be written.
    #[serde(default)]
    pub rule: Vec<TemplateRule>,
    /// Patterns that earlier revisions had and this one no longer has.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub retired: Vec<String>,
    /// Lines for git's attribute file, relative to the project's folder, in the order they are to
    /// be written.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub attribute: Vec<TemplateAttribute>,
    /// Files and folders whose place is named in the project's own settings.
    #[serde(default)]
    pub output: Vec<Output>,
    /// Files that must be tracked.
    #[serde(default)]
    pub needed: Vec<Needed>,
    /// How such a project is built from what a clone holds; the first that fits counts.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub build: Vec<Build>,
    /// Files that come with another one beside them.
    #[serde(default)]
    pub companion: Vec<Companion>,
    /// Switches, each of which takes out rules, adds some, or both.
    #[serde(default)]
    pub variant: Vec<Variant>,
    /// Where it comes from; not part of the file.
    #[serde(skip)]
    pub origin: TemplateSource,
    /// Rules that the repository's choices took out; not part of the file.
    #[serde(skip)]
    pub(crate) unchosen: Vec<TemplateRule>,
}

impl Template {
    /// The folders, by name, that hold files by which a project around them is recognised.
    pub fn marker_folders(&self) -> impl Iterator<Item = &[u8]> {
        let files = self
            .recognise
            .iter()
            .map(|marker| marker.file.trim_start_matches('/'));
        files
            .filter_map(|file| file.split_once('/'))
            .map(|(folder, _)| folder.as_bytes())
    }
}

/// Where a template comes from; the nearer hides the farther of the same name.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub enum TemplateSource {
    /// The collection that comes with the program.
    #[default]
    BuiltIn,
    /// A file of a policy, the person's or the repository's.
    Policy(PathBuf),
    /// A file in the person's configuration folder.
    Personal(PathBuf),
    /// A file in the repository, for the whole team.
    Team(PathBuf),
}

/// What kind of thing a template covers.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Deserialize, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
pub enum Group {
    /// A programming language.
    Language,
    /// A framework.
    Framework,
    /// A game engine.
    Engine,
    /// A build tool or the like.
    Tool,
    /// Infrastructure described in files.
    Infrastructure,
    /// Hardware and firmware.
    Hardware,
    /// An editor; its rules hold in the whole repository.
    Editor,
    /// An operating system; its rules hold in the whole repository.
    System,
    /// Any program; its rules hold in the whole repository.
    Any,
}

impl fmt::Display for Group {
    fn fmt(&self, f: &mut fmt::Formatter) -> fmt::Result {
        f.pad(match self {
            Self::Language => "language",
            Self::Framework => "framework",
            Self::Engine => "engine",
            Self::Tool => "tool",
            Self::Infrastructure => "infrastructure",
            Self::Hardware => "hardware",
            Self::Editor => "editor",
            Self::System => "system",
            Self::Any => "any program",
        })
    }
}

impl Group {
    /// Whether the rules belong to the whole repository rather than to one project's folder.
    pub fn everywhere(self) -> bool {
        matches!(self, Self::Editor | Self::System | Self::Any)
    }
}

/// A file by which a project is recognised.
#[derive(Debug, Clone, Deserialize, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub struct Marker {
    /// A name or a path in the project's folder, with wildcards as in ignore files.
    pub file: String,
    /// Text that the file must hold, too.
    pub contains: Option<String>,
    /// The project takes in those of the same type further down (a workspace).
    #[serde(default)]
    pub spans: bool,
    /// Such files lie anywhere in the project: its folder is the deepest that holds them all.
    #[serde(default)]
    pub gather: bool,
    /// How much the file proves.
    #[serde(default)]
    pub confidence: Confidence,
}

/// How much a marker proves.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Deserialize, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
pub enum Confidence {
    /// Only this project type has such a file.
    #[default]
    Sure,
    /// Others may have it, but hardly.
    Likely,
}

/// A folder that is recognised by a file in it.
#[derive(Debug, Clone, Deserialize, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub struct FolderMark {
    /// The name of the file.
    pub holds: String,
    /// Text that the file must hold, too.
    pub contains: Option<String>,
    /// What the folder's contents are.
    #[serde(default = "generated")]
    pub class: Class,
    /// What it is and why it doesn't belong, in one sentence.
    pub reason: String,
    /// The command that makes it again.
    pub remake: Option<String>,
    /// What the tool makes of it, where somebody works in the same folder and it can't be taken
    /// whole.
    #[serde(default)]
    pub part: Vec<FolderPart>,
}

/// A part of a folder that a tool makes, by itself.
#[derive(Debug, Clone, Deserialize, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub struct FolderPart {
    /// Its path in the folder; a folder's ends in a slash.
    pub path: String,
    /// A file or folder that must be in it, too.
    pub holds: Option<String>,
    /// Text that the file must hold, too.
    pub contains: Option<String>,
}

/// What a rule ignores, in the words of a heading; the order is that in which they are written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Deserialize, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
pub enum Heading {
    /// Fetched by a package manager.
    Dependencies,
    /// Built from the sources.
    Built,
    /// Kept to be faster next time.
    Caches,
    /// What tests and measurements say.
    Reports,
    /// Logs, and what a crash leaves behind.
    Logs,
    /// Data and state of one machine or installation.
    Local,
    /// Settings and traces of one person.
    Personal,
    /// Passwords and keys.
    Secrets,
}

impl Heading {
    /// All, in their order.
    pub const ALL: [Self; 8] = [
        Self::Dependencies,
        Self::Built,
        Self::Caches,
        Self::Reports,
        Self::Logs,
        Self::Local,
        Self::Personal,
        Self::Secrets,
    ];

    /// The words for it in comments.
    pub fn words(self) -> &'static str {
        match self {
            Self::Dependencies => "dependencies",
            Self::Built => "build output",
            Self::Caches => "caches",
            Self::Reports => "reports of tests and tools",
            Self::Logs => "logs and crashes",
            Self::Local => "data of one machine",
            Self::Personal => "personal",
            Self::Secrets => "secrets",
        }
    }

    /// Whether a tool makes it again.
    pub fn is_remade(self) -> bool {
        self < Self::Local
    }
}

/// A rule of a template.
#[derive(Debug, Clone, Deserialize, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub struct TemplateRule {
    /// The pattern, relative to the project's folder.
    pub pattern: String,
    /// What the files are that it matches.
    #[serde(default = "generated")]
    pub class: Class,
    /// What makes these files and why they don't belong, in one sentence.
    pub reason: String,
    /// The command that makes them again.
    pub remake: Option<String>,
    /// Paths that the template must ignore because of this rule.
    #[serde(default)]
    pub ignored: Vec<String>,
    /// Near names that the template must leave alone.
    #[serde(default)]
    pub kept: Vec<String>,
    /// The pattern that an earlier revision had in its place.
    pub replaces: Option<String>,
    /// The revision of the template that brought it; the first one if it isn't said.
    pub since: Option<u32>,
    /// Under which heading it is written; by its class if it isn't said.
    pub heading: Option<Heading>,
    /// Only the tool gives this name: what it matches is never somebody's work.
    #[serde(default)]
    pub certain: bool,
}

impl TemplateRule {
    /// Under which heading it is written.
    pub fn heading(&self) -> Heading {
        self.heading.unwrap_or(match self.class {
            Class::Personal => Heading::Personal,
            Class::Secret => Heading::Secrets,
            _ => Heading::Built,
        })
    }

    /// Whether only a tool gives the name that it matches.
    pub fn is_certain(&self) -> bool {
        self.certain || is_tools_name(&self.pattern)
    }
}

/// A line of a template for git's attribute file (gitattributes(5)).
#[derive(Debug, Clone, Deserialize, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub struct TemplateAttribute {
    /// The pattern, relative to the project's folder; none for a folder, which has no attributes.
    pub pattern: String,
    /// What it gives, as it is written there: `text`, `-diff`, `eol=lf`.
    pub set: Vec<String>,
    /// Why, in one sentence.
    pub reason: String,
    /// What it is about.
    pub class: AttributeClass,
    /// The revision of the template that brought it; the first one if it isn't said.
    pub since: Option<u32>,
}

/// What a line of attributes is about; the order is that in which they are written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Deserialize, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum AttributeClass {
    /// How lines end, here and in the repository.
    LineEndings,
    /// Contents that are no text.
    Binary,
    /// How differences are shown.
    Diff,
    /// How two versions are brought together.
    Merge,
    /// What an exported archive holds.
    Export,
    /// Contents that large-file storage holds; written only where it is set up.
    Large,
}

/// What most rules are about.
fn generated() -> Class {
    Class::Generated
}

/// A file or folder that a setting of the project names, and that its tool writes.
#[derive(Debug, Clone, Deserialize, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub struct Output {
    /// The settings file: a name in any folder of the project, with wildcards as in ignore files.
    pub file: String,
    /// How to read it.
    pub format: SettingFormat,
    /// Where the setting is in it. For `json` and `toml` its keys with dots between, `*` for
    /// any key; for `ini` `section.key`; for `text` a regular expression whose first group is the
    /// value.
    pub key: String,
    /// What the setting names is a file, not a folder.
    #[serde(default)]
    pub is_file: bool,
    /// People give folders of sources the same name: it counts only once it is there.
    #[serde(default)]
    pub once_there: bool,
    /// What the tool writes there.
    pub reason: String,
    /// The command that makes it again.
    pub remake: Option<String>,
}

/// The syntax of a settings file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
pub enum SettingFormat {
    /// JSON, with comments and a comma at the end as many tools allow.
    Json,
    /// TOML.
    Toml,
    /// Sections and keys.
    Ini,
    /// Anything else, by a regular expression.
    Text,
}

/// A switch of a template.
#[derive(Debug, Clone, Deserialize, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub struct Variant {
    /// One word; how it is asked for.
    pub name: String,
    /// For whom it is, in a few words.
    pub title: String,
    /// Patterns of the template that it takes out.
    #[serde(default)]
    pub drops: Vec<String>,
    /// Rules that it adds.
    #[serde(default)]
    pub rule: Vec<TemplateRule>,
}

impl Template {
    /// Whether it, or a variant of it, has a rule of that pattern.
    pub fn has_rule(&self, pattern: &str) -> bool {
        let of_variants = self.variant.iter().flat_map(|variant| &variant.rule);
        let mut rules = self.rule.iter().chain(of_variants);
        rules.any(|rule| rule.pattern == pattern)
    }

    /// Its variants, each as it is asked for.
    pub fn variant_names(&self) -> impl Iterator<Item = String> + '_ {
        self.variant
            .iter()
            .map(|variant| format!("{}/{}", self.name, variant.name))
    }

    /// Takes a repository's choices in: its variants' rules come and go, and what it doesn't want
    /// goes.
    pub fn choose(&mut self, choices: &Choices) {
        let named = self.variant_names().zip(&self.variant);
        let chosen: Vec<Variant> = named
            .filter(|(name, _)| choices.variants.contains(name))
            .map(|(_, variant)| variant.clone())
            .collect();
        self.unchosen.extend(self.rule.extract_if(.., |rule| {
            let mut variants = chosen.iter();
            variants.any(|variant| variant.drops.contains(&rule.pattern))
        }));
        self.rule
            .extend(chosen.into_iter().flat_map(|variant| variant.rule));
        self.unchosen.extend(
            self.rule
                .extract_if(.., |rule| choices.without.contains(&rule.pattern)),
        );
    }
}

/// Files and folders each of which has another file beside it, which must be tracked with it.
#[derive(Debug, Clone, Deserialize, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub struct Companion {
    /// Which: a pattern, relative to the project's folder.
    pub of: String,
    /// What is added to their names.
    #[serde(rename = "ending")]
    pub extension: String,
    /// What breaks without it.
    pub reason: String,
}

/// A command that builds a project, run in its folder.
#[derive(Debug, Clone, Deserialize, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub struct Build {
    /// As it is typed, for `sh`.
    pub command: String,
    /// It does so only if one of these is there; always without any.
    #[serde(default)]
    pub when: Vec<Sign>,
    /// It doesn't if one of these is there.
    #[serde(default)]
    pub unless: Vec<Sign>,
}

/// Files that must be tracked.
#[derive(Debug, Clone, Deserialize, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub struct Needed {
    /// A pattern, relative to the project's folder.
    pub pattern: String,
    /// What breaks without them.
    pub reason: String,
    /// They are needed only if one of these is there; always without any.
    #[serde(default)]
    pub when: Vec<Sign>,
    /// They aren't if one of these is there: a library leaves exact versions to those who use it.
    #[serde(default)]
    pub unless: Vec<Sign>,
}

/// A file or folder of a project that says something of it.
#[derive(Debug, Clone, Deserialize, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub struct Sign {
    /// A pattern, relative to the project's folder.
    pub file: String,
    /// Text that the file must hold, too.
    pub contains: Option<String>,
}
