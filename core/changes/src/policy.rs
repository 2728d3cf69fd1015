//! Getting a policy and keeping it up to date: fetched where the person names it, read, and copied
//! into the repository or into the person's own folder.

use crate::disk::{io_error_at, replace};
use crate::rehearse::scratch::Scratch;
use crate::{Edit, Error, Result};
use bstr::{BString, ByteSlice};
use redshank_files::Root;
use redshank_git::{Fetched, fetch_files};
use redshank_templates::Template;
use redshank_worktree::policy::{
    self, Policy, PolicyRecord, PolicySource, RECORD_FILE, TEMPLATES_FOLDER,
};
use redshank_worktree::settings::SettingsFile;
use redshank_worktree::{Worktree, personal};
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

/// Fetches a policy from a folder, or by git from an address; a relative folder is one from the
/// repository's `top`. Every template of it is read, so that one that can't be used is an error
/// now.
///
/// # Errors
/// If nothing of a policy is there, git can't fetch it, or a file of it is not in the format.
pub fn fetch(top: &Path, source: &PolicySource) -> Result<Policy> {
    if names_password(&source.from) {
        return Err(Error::PolicyPassword);
    }
    let folder = top.join(&source.from);
    let is_folder = Root::open(&folder).is_ok();
    let is_repository = is_folder
        && Root::open(&folder)
            .is_ok_and(|root| root.is_there(".git".into()) || root.is_there("HEAD".into()));
    let (commit, files) = if is_folder && !is_repository {
        if source.revision.is_some() {
            return Err(Error::PolicyWithoutRevisions(folder));
        }
        (None, policy::files_of_folder(&folder)?)
    } else {
        let scratch = Scratch::new()?;
        let address = if is_folder {
            folder.into_os_string()
        } else {
            source.from.clone().into()
        };
        let revision = source.revision.as_deref();
        let Fetched { commit, files } =
            fetch_files(&scratch.path(), &address, revision, &policy::is_part)?;
        (Some(commit), files)
    };
    if files.is_empty() {
        return Err(Error::NoPolicy(source.from.clone()));
    }
    let record = PolicyRecord {
        from: source.from.clone(),
        revision: source.revision.clone(),
        commit,
        checksum: policy::checksum_of(&files),
    };
    let policy = Policy::from_files(record, files, PathBuf::from(&source.from))?;
    for (path, bytes) in policy.templates() {
        Template::parse(bytes.to_vec(), &path)?;
    }
    Ok(policy)
}

/// A folder that a person named in the folder `here`, as the settings at `top` name it: on a way
/// from there if both are on one, else whole. What is no folder stays as it is.
pub fn named_from(here: &Path, top: &Path, from: &str) -> String {
    let Ok(folder) = redshank_files::canonical(&here.join(from)) else {
        return from.to_owned();
    };
    let shared = top.components().zip(folder.components());
    let shared = shared.take_while(|(a, b)| a == b).count();
    // Nothing but the root, or a drive, is shared.
    if Path::new(from).is_absolute() || shared < 2 {
        return folder.display().to_string();
    }
    let up = top.components().skip(shared).map(|_| "..".to_owned());
    let down = folder.components().skip(shared);
    let down = down.map(|part| part.as_os_str().to_string_lossy().into_owned());
    let parts: Vec<String> = up.chain(down).collect();
    parts.join("/")
}

/// Whether an address has a password in it, which would be written where others read it.
fn names_password(address: &str) -> bool {
    let user = address.split_once("://").and_then(|(_, rest)| {
        let host = rest.split('/').next()?;
        Some(host.rsplit_once('@')?.0)
    });
    user.is_some_and(|user| user.contains(':'))
}

/// What the repository's files become when it follows this policy from now on, or none.
///
/// # Errors
/// If the settings can't be edited, or a file of the copy can't be read.
pub fn edits(
    worktree: &Worktree,
    settings: &SettingsFile,
    policy: Option<&Policy>,
) -> Result<Vec<Edit>> {
    let source = policy.map(|policy| PolicySource {
        from: policy.record.from.clone(),
        revision: policy.record.revision.clone(),
    });
    let mut edits = vec![Edit::of_settings(
        settings,
        settings.with_policy(source.as_ref())?,
    )];
    let wanted = policy.map_or_else(Vec::new, files);
    let known = Policy::read(worktree)?;
    let known = known.iter().flat_map(|known| &known.files);
    let mut paths: BTreeSet<BString> = known.map(|(path, _)| path.clone()).collect();
    paths.insert(RECORD_FILE.into());
    paths.extend(wanted.iter().map(|(path, _)| path.clone()));
    for path in paths {
        let whole = policy::path_in_repository(path.as_bstr());
        let before = worktree
            .root
            .read_if_there(whole.as_bstr(), policy::LARGEST);
        let before = before.map_err(io_error_at(&worktree.top.join(whole.to_path_lossy())))?;
        let after = wanted.iter().find(|(known, _)| *known == path);
        let after = after.map(|(_, bytes)| bytes.clone());
        if before.is_some() || after.is_some() {
            edits.push(Edit::of_policy(whole, before, after));
        }
    }
    Ok(edits)
}

/// All files of a copy, its record among them.
#[allow(
    clippy::expect_used,
    reason = "a record is text and numbers; nothing in it can't be TOML"
)]
fn files(policy: &Policy) -> Vec<(BString, Vec<u8>)> {
    let record = toml::to_string(&policy.record).expect("a record of text and numbers");
    let heading = "# Written by `redshank policy`: where this copy comes from.\n";
    let mut files = policy.files.clone();
    files.push((
        RECORD_FILE.into(),
        format!("{heading}{record}").into_bytes(),
    ));
    files
}

/// Writes the person's own policy, which counts in all their repositories, or takes it away.
///
/// # Errors
/// If no home folder is known, or the disk refuses.
pub fn write_personal(policy: Option<&Policy>) -> Result<()> {
    let folder = personal::folder().ok_or(redshank_templates::Error::NoHome)?;
    let folder = folder.join("policy");
    let disk = || io_error_at(&folder);
    redshank_files::create_own_folder(&folder).map_err(disk())?;
    let root = Root::open(&folder).map_err(disk())?;
    if let Some(known) = Policy::read_personal()? {
        // Without its record, what is left of a copy doesn't count.
        root.remove_file_if_there(RECORD_FILE.into())
            .map_err(disk())?;
        for (path, _) in known.files {
            root.remove_file_if_there(path.as_bstr()).map_err(disk())?;
        }
    }
    let Some(policy) = policy else {
        return Ok(());
    };
    root.create_folders(TEMPLATES_FOLDER.into())
        .map_err(disk())?;
    for (path, bytes) in files(policy) {
        replace(&root, path.as_bstr(), &bytes).map_err(disk())?;
    }
    Ok(())
}
