//! The picture of a working tree.

use super::{PathOut, SummaryOut, UnreadOut};
use redshank_origin::Origin;
use redshank_templates::Confidence;
use redshank_worktree::FileStats;
use serde::Serialize;

/// `survey --format json`.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[cfg_attr(test, schemars(rename = "redshank.survey/1"))]
pub struct SurveyOut {
    /// Always `redshank.survey/1`.
    pub schema: &'static str,
    /// The repository's top folder, an absolute path.
    pub root: String,
    /// Whether it is a repository.
    pub repository: bool,
    /// Whether it has a commit.
    pub has_commit: bool,
    /// The folder that was looked at, relative to the top and with a slash at its end; empty for
    /// the whole. All below is about it.
    pub folder: String,
    /// What the next commit of everything would hold.
    pub to_commit: FileStats,
    /// Files tracked already.
    pub tracked: FileStats,
    /// Files not tracked and not ignored.
    pub candidates: FileStats,
    /// Files that rules ignore.
    pub ignored: FileStats,
    /// What would be committed, by top folder, biggest first; files at the top under the empty
    /// path.
    pub folders: Vec<FolderOut>,
    /// Where those files come from; only origins that some have.
    pub origins: Vec<OriginCountOut>,
    /// The projects found.
    pub projects: Vec<ProjectOut>,
    /// Where teams do it in two ways, the one that is followed here already.
    pub practices: Vec<PracticeOut>,
    /// Where nothing shows which of two ways is followed, and nobody chose one.
    pub choices: Vec<ChoiceOut>,
    /// How much was found, by level and class.
    pub summary: SummaryOut,
    /// The next sensible command.
    pub next: String,
    /// What could not be read.
    pub unread: Vec<UnreadOut>,
}

/// How many files come from there.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct OriginCountOut {
    /// The origin.
    pub origin: Origin,
    /// How many files.
    pub files: u64,
}

/// A folder right below the top.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct FolderOut {
    /// The path that it is about.
    #[serde(flatten)]
    pub path: PathOut,
    /// What of it would be committed.
    #[serde(flatten)]
    pub stats: FileStats,
}

/// A project that was recognised.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ProjectOut {
    /// The name of its template.
    pub template: String,
    /// What it is, in a few words.
    pub title: String,
    /// The folder, an absolute path.
    #[serde(flatten)]
    pub folder: PathOut,
    /// The file by which it was recognised.
    pub evidence: String,
    /// How much that proves.
    pub confidence: Confidence,
}

/// A variant that somebody may choose: `draft --variant TEMPLATE/VARIANT`.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct ChoiceOut {
    /// The template that it is about.
    pub template: String,
    /// The variant of it.
    pub variant: String,
    /// When it is right, in a sentence.
    pub title: String,
}

/// Whether a variant of a template is followed already.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct PracticeOut {
    /// The template that it is about.
    pub template: String,
    /// The variant of it.
    pub variant: String,
    /// For whom the variant is.
    pub title: String,
    /// It is followed; else the template as it is without it.
    pub followed: bool,
    /// The files or rules that show it.
    pub shown_by: String,
}
