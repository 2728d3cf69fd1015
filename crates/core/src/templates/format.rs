//! The format of a template file (TOML); docs/templates.md explains it to people.

use crate::findings::Class;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Rules for one project type.
#[derive(Debug, Clone, Deserialize, Serialize, JsonSchema)]
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
    /// How a project of this type is recognised; any one suffices.
    #[serde(default)]
    pub recognise: Vec<Marker>,
    /// Folders that are recognised by what lies in them, whatever their name.
    #[serde(default)]
    pub folder: Vec<FolderMark>,
    /// The rules, relative to the project's folder, in the order they are to be written.
    #[serde(default)]
    pub rule: Vec<TemplateRule>,
    /// Files that must be tracked.
    #[serde(default)]
    pub needed: Vec<Needed>,
}

/// What kind of thing a template covers.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, Serialize, JsonSchema)]
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
    /// An editor; its rules hold in the whole repository.
    Editor,
    /// An operating system; its rules hold in the whole repository.
    System,
    /// Any program; its rules hold in the whole repository.
    Any,
}

impl Group {
    /// Whether the rules belong to the whole repository rather than to one project's folder.
    pub fn everywhere(self) -> bool {
        matches!(self, Self::Editor | Self::System | Self::Any)
    }
}

/// A file by which a project is recognised.
#[derive(Debug, Clone, Deserialize, Serialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Marker {
    /// A name or a path in the project's folder, with wildcards as in ignore files.
    pub file: String,
    /// Text that the file must hold, too.
    pub contains: Option<String>,
    /// The project takes in those of the same type further down (a workspace).
    #[serde(default)]
    pub spans: bool,
}

/// A folder that is recognised by a file in it.
#[derive(Debug, Clone, Deserialize, Serialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct FolderMark {
    /// The name of the file.
    pub holds: String,
    /// Text that the file must hold, too.
    pub contains: Option<String>,
    /// What the folder's contents are.
    pub class: Class,
    /// What it is and why it doesn't belong, in one sentence.
    pub reason: String,
    /// The command that makes it again.
    pub remake: Option<String>,
}

/// A rule of a template.
#[derive(Debug, Clone, Deserialize, Serialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct TemplateRule {
    /// The pattern, relative to the project's folder.
    pub pattern: String,
    /// What the files are that it matches.
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
}

/// Files that must be tracked.
#[derive(Debug, Clone, Deserialize, Serialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Needed {
    /// A pattern, relative to the project's folder.
    pub pattern: String,
    /// What breaks without them.
    pub reason: String,
}
