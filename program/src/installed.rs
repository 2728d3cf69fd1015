//! Who put the program where it is, so that people know by what to update it: each packager leaves
//! its own traces around a program, and says nothing to it.

#![allow(
    clippy::disallowed_methods,
    reason = "around the program itself, outside of every repository"
)]

use std::path::{Path, PathBuf};

/// Where the running program is, and who put it there.
pub struct Installed {
    pub path: PathBuf,
    pub by: Option<&'static str>,
}

impl Installed {
    /// Looks around the running program.
    ///
    /// `None` where the system doesn't say where that is.
    pub fn find() -> Option<Self> {
        let path = std::env::current_exe().ok()?;
        let path = dunce::canonicalize(path).ok()?;
        let by = packager(&path);
        Some(Self { path, by })
    }

    /// In one line, for people.
    pub fn line(&self) -> String {
        let path = self.path.display().to_string();
        match self.by {
            Some(by) => format!("{path} ({by})"),
            None => path,
        }
    }
}

/// A folder's name on the way to a program, and who gives it.
const FOLDERS: &[(&str, &str)] = &[
    ("node_modules", "npm"),
    ("Cellar", "Homebrew"),
    ("scoop", "Scoop"),
];

fn packager(program: &Path) -> Option<&'static str> {
    let has = |name: &str| program.iter().any(|part| part == name);
    if let Some((_, by)) = FOLDERS.iter().find(|(name, _)| has(name)) {
        return Some(by);
    }
    let folder = program.parent()?;
    let above = folder.parent()?;
    if folder.join("deps").is_dir() && folder.join(".fingerprint").is_dir() {
        return Some("built by cargo, not installed");
    }
    if above.join(".crates.toml").is_file() {
        return Some("cargo install");
    }
    if Path::new("/var/lib/dpkg/info/redshank.list").is_file() && program.starts_with("/usr/bin") {
        return Some("Debian package");
    }
    is_wheel(above).then_some("pip")
}

/// Whether Python's packages in this environment list the program:
/// `lib/python3.11/site-packages/redshank-0.1.0.dist-info`.
fn is_wheel(environment: &Path) -> bool {
    let entries = |folder: &Path| std::fs::read_dir(folder).into_iter().flatten().flatten();
    let is_listed = |packages: PathBuf| {
        entries(&packages).any(|entry| {
            let name = entry.file_name();
            let name = name.to_string_lossy();
            name.starts_with("redshank-") && name.ends_with(".dist-info")
        })
    };
    let by_version =
        entries(&environment.join("lib")).map(|entry| entry.path().join("site-packages"));
    by_version
        .chain([environment.join("Lib/site-packages")])
        .any(is_listed)
}
