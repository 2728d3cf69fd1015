//! A policy: templates, limits, reserved material and expectations that several repositories share.
//!
//! The copy that counts is in the repository (`.redshank/policy/`), so that every clone has it,
//! with a record of where it comes from; a person's own is in their configuration folder. Nothing
//! is fetched to answer a question.

use crate::settings::{Expectation, GivenLimits, PatternLimit, Reserved, SettingsFile};
use crate::{Error, Result, Worktree, io_error_at, personal, toml_file};
use bstr::{BStr, BString, ByteSlice};
use redshank_files::{FileKind, Root};
use redshank_rules::RepoPath;
use serde::{Deserialize, Serialize};
use std::path::{Path, PathBuf};

/// Where a repository keeps its copy, relative to its top.
pub const FOLDER: &str = ".redshank/policy";

/// The file with what it sets, in its folder.
pub const SETTINGS_FILE: &str = "policy.toml";

/// The folder of its templates, in its folder.
pub const TEMPLATES_FOLDER: &str = "templates";

/// The file that says where a copy comes from.
pub const RECORD_FILE: &str = "source.toml";

/// No file of a policy is larger than this, in bytes.
pub const LARGEST: u64 = 4 << 20;

/// Which policy a repository follows, as its settings say.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct PolicySource {
    /// A folder, or an address that git can fetch from.
    pub from: String,
    /// A branch, a tag or a commit; the usual branch without it.
    pub revision: Option<String>,
}

/// What a copy was made from.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize, Serialize)]
#[serde(deny_unknown_fields)]
pub struct PolicyRecord {
    /// A folder, or an address that git can fetch from.
    pub from: String,
    /// The branch, tag or commit that was asked for.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub revision: Option<String>,
    /// The commit that it was; none of a folder that is no repository.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub commit: Option<String>,
    /// Of all files of the copy.
    pub checksum: String,
}

impl PolicyRecord {
    /// Its revision in a few letters: of the commit, or of the contents.
    pub fn short(&self) -> &str {
        let named = self.commit.as_deref().unwrap_or(&self.checksum);
        named.get(..8).unwrap_or(named)
    }

    /// Whether it is of what the settings name.
    pub fn is_of(&self, source: &PolicySource) -> bool {
        self.from == source.from && self.revision == source.revision
    }
}

/// What a policy sets.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct PolicySettings {
    /// From which sizes on a file is reported, where the repository sets none.
    pub limits: GivenLimits,
    /// Sizes for what a pattern matches.
    pub limit: Vec<PatternLimit>,
    /// What must stay ignored, tracked or a candidate.
    pub expect: Vec<Expectation>,
    /// What must not go out.
    pub reserved: Vec<Reserved>,
}

/// A policy as it was copied.
#[derive(Debug, Clone)]
pub struct Policy {
    /// Where it comes from.
    pub record: PolicyRecord,
    /// What it sets.
    pub settings: PolicySettings,
    /// Its files, by paths relative to its folder, sorted, without the record.
    pub files: Vec<(BString, Vec<u8>)>,
    /// Absolute path of its folder.
    pub folder: PathBuf,
}

impl Policy {
    /// The repository's copy; none if there is no copy yet.
    ///
    /// # Errors
    /// If a file of it can't be read, is a link, or is not in the format.
    pub fn read(worktree: &Worktree) -> Result<Option<Self>> {
        Self::read_beneath(&worktree.root, RepoPath::new(FOLDER))
    }

    /// The person's own, which counts in all their repositories.
    ///
    /// # Errors
    /// As [`Self::read`].
    pub fn read_personal() -> Result<Option<Self>> {
        let Some(folder) = personal::folder() else {
            return Ok(None);
        };
        match Root::open(&folder) {
            Ok(root) => Self::read_beneath(&root, RepoPath::new("policy")),
            Err(error) if redshank_files::is_absence(&error) => Ok(None),
            Err(error) => Err(io_error_at(&folder)(error)),
        }
    }

    fn read_beneath(root: &Root, folder: &RepoPath) -> Result<Option<Self>> {
        let whole = |path: &RepoPath| root.path().join(path.to_path_lossy());
        let read = |path: &RepoPath| {
            let read = root.read_if_there(path.as_bstr(), LARGEST);
            read.map_err(io_error_at(&whole(path)))
        };
        let record = folder.join(RECORD_FILE);
        let Some(bytes) = read(&record)? else {
            return Ok(None);
        };
        let path = whole(&record);
        let record = toml_file::read(&toml_file::text(bytes, &path)?, &path)?;
        let mut files = Vec::new();
        if let Some(bytes) = read(&folder.join(SETTINGS_FILE))? {
            files.push((SETTINGS_FILE.into(), bytes));
        }
        let templates = folder.join(TEMPLATES_FOLDER);
        let listed = match root.list(templates.as_bstr()) {
            Err(error) if redshank_files::is_absence(&error) => Vec::new(),
            listed => listed.map_err(io_error_at(&whole(&templates)))?,
        };
        for (name, kind) in listed {
            let below = templates.join(&name);
            if kind == FileKind::Link {
                return Err(Error::PolicyLink(whole(&below)));
            }
            let inside = [TEMPLATES_FOLDER.as_bytes(), b"/", &name].concat();
            if is_part(&inside)
                && let Some(bytes) = read(&below)?
            {
                files.push((inside.into(), bytes));
            }
        }
        Self::from_files(record, files, whole(folder)).map(Some)
    }

    /// A policy of these files, in a folder.
    ///
    /// # Errors
    /// If what it sets is not in the format.
    pub fn from_files(
        record: PolicyRecord,
        mut files: Vec<(BString, Vec<u8>)>,
        folder: PathBuf,
    ) -> Result<Self> {
        files.sort();
        let settings = match files.iter().find(|(path, _)| *path == SETTINGS_FILE) {
            None => PolicySettings::default(),
            Some((_, bytes)) => {
                let path = folder.join(SETTINGS_FILE);
                let text = toml_file::text(bytes.clone(), &path)?;
                let settings: PolicySettings = toml_file::read(&text, &path)?;
                crate::settings::check_expectations(&settings.expect, &text, &path)?;
                settings
            }
        };
        Ok(Self {
            record,
            settings,
            files,
            folder,
        })
    }

    /// Its template files, with their absolute paths.
    pub fn templates(&self) -> impl Iterator<Item = (PathBuf, &[u8])> {
        let files = self.files.iter();
        let files = files.filter(|(path, _)| *path != SETTINGS_FILE);
        files.map(|(path, bytes)| (self.folder.join(path.to_path_lossy()), bytes.as_slice()))
    }

    /// Whether somebody changed the copy by hand.
    pub fn is_changed(&self) -> bool {
        checksum_of(&self.files) != self.record.checksum
    }
}

/// Whether a file of a source belongs to the policy: its settings, or a template.
pub fn is_part(path: &[u8]) -> bool {
    let template = path.strip_prefix(TEMPLATES_FOLDER.as_bytes());
    let template = template.and_then(|rest| rest.strip_prefix(b"/"));
    path == SETTINGS_FILE.as_bytes()
        || template.is_some_and(|name| name.ends_with(b".toml") && !name.contains(&b'/'))
}

/// The checksum of a policy's files, which are sorted by path: the first half of a BLAKE3 hash over
/// each path and contents, with their lengths.
pub fn checksum_of(files: &[(BString, Vec<u8>)]) -> String {
    let mut hasher = blake3::Hasher::new();
    for part in files
        .iter()
        .flat_map(|(path, bytes)| [path.as_slice(), bytes])
    {
        hasher.update(&(part.len() as u64).to_le_bytes());
        hasher.update(part);
    }
    hasher.finalize().to_hex()[..32].to_owned()
}

/// The files of a policy in a plain folder, sorted.
///
/// # Errors
/// If the folder can't be listed, or a file of it can't be read or is a link.
pub fn files_of_folder(folder: &Path) -> Result<Vec<(BString, Vec<u8>)>> {
    let root = Root::open(folder).map_err(io_error_at(folder))?;
    let mut paths: Vec<BString> = vec![SETTINGS_FILE.into()];
    match root.list(TEMPLATES_FOLDER.into()) {
        Err(error) if redshank_files::is_absence(&error) => {}
        listed => {
            let listed = listed.map_err(io_error_at(&folder.join(TEMPLATES_FOLDER)))?;
            let inside = listed.into_iter().map(|(name, _)| {
                BString::from([TEMPLATES_FOLDER.as_bytes(), b"/", &name].concat())
            });
            paths.extend(inside.filter(|path| is_part(path)));
        }
    }
    let mut files = Vec::new();
    for path in paths {
        let read = root.read_if_there(path.as_bstr(), LARGEST);
        let read = read.map_err(io_error_at(&folder.join(path.to_path_lossy())))?;
        files.extend(read.map(|bytes| (path, bytes)));
    }
    files.sort();
    Ok(files)
}

/// The path of a policy's file in a repository.
pub fn path_in_repository(path: &BStr) -> BString {
    [FOLDER.as_bytes(), b"/", path].concat().into()
}

impl SettingsFile {
    /// Adds the rows that a policy has. Of limits by pattern, the repository's are the later ones,
    /// which decide.
    pub(crate) fn add_rows(&mut self, policy: &Policy) {
        let (own, more) = (self.settings_mut(), policy.settings.clone());
        own.limit.splice(0..0, more.limit);
        own.expect.extend(more.expect);
        own.reserved.extend(more.reserved);
    }
}
