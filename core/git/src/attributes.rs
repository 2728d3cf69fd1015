//! What git's attributes say of paths (gitattributes(5)).

use crate::{Repository, Result};
use bstr::{BStr, BString, ByteSlice};
use std::collections::{BTreeSet, HashMap};
use std::path::PathBuf;

/// The drivers that git's configuration has: what `diff=`, `merge=` and `filter=` may name.
#[derive(Debug, Default)]
pub struct Drivers {
    /// `diff.NAME`, `merge.NAME`, `filter.NAME`; the kind in lower case.
    names: BTreeSet<BString>,
}

impl Drivers {
    /// Whether there is a driver of that kind and name.
    pub fn has(&self, kind: &str, name: &BStr) -> bool {
        let mut known = BString::from(kind);
        known.push(b'.');
        known.extend_from_slice(name);
        self.names.contains(&known)
    }
}

impl Repository {
    /// The drivers that are configured.
    ///
    /// # Errors
    /// If git refuses.
    pub fn drivers(&self) -> Result<Drivers> {
        let ask = ["config", "--null", "--name-only", "--list"];
        let said = self.git().args(ask).output()?;
        let names = said.split(|byte| *byte == 0).filter_map(|name| {
            let (driver, _) = name.rsplit_once_str(".")?;
            let kinds = [&b"diff."[..], b"merge.", b"filter."];
            let is_driver = kinds.iter().any(|kind| driver.starts_with(kind));
            is_driver.then(|| driver.into())
        });
        Ok(Drivers {
            names: names.collect(),
        })
    }

    /// The text files of the next commit of everything whose lines end in CR LF on disk, or some of
    /// them, by what git takes for text.
    ///
    /// # Errors
    /// If git refuses.
    pub fn with_crlf(&self) -> Result<Vec<BString>> {
        let words = [
            "ls-files",
            "--eol",
            "-z",
            "--cached",
            "--others",
            "--exclude-standard",
        ];
        let said = self.git().args(words).output()?;
        // `i/…` space `w/…` space `attr/…` TAB `path` NUL (git-ls-files(1), --eol).
        let records = said.split(|byte| *byte == 0);
        let crlf = records.filter_map(|record| {
            let tab = record.iter().position(|byte| *byte == b'\t')?;
            let info = record[..tab].to_str_lossy();
            let is_crlf = info.contains(" w/crlf") || info.contains(" w/mixed");
            is_crlf.then(|| record[tab + 1..].into())
        });
        Ok(crlf.collect())
    }

    /// The attributes of paths that aren't unspecified, in their order, with git's words for their
    /// values.
    ///
    /// # Errors
    /// If git refuses.
    pub fn all_attributes(&self, paths: &[&BStr]) -> Result<Vec<Vec<(BString, BString)>>> {
        let mut asked = Vec::new();
        for path in paths {
            asked.extend_from_slice(path);
            asked.push(0);
        }
        let ask = ["check-attr", "--stdin", "-z", "--all"];
        let said = self.git().args(ask).with_input(&asked)?;
        // `path` NUL `attribute` NUL `value` NUL, of each path in turn; none for one without any.
        let fields: Vec<&[u8]> = said.split(|byte| *byte == 0).collect();
        let mut of: HashMap<&[u8], Vec<(BString, BString)>> = HashMap::new();
        for triple in fields.chunks_exact(3) {
            let known = of.entry(triple[0]).or_default();
            let pair = (triple[1].into(), triple[2].into());
            // A path that was asked about twice is listed twice.
            if !known.contains(&pair) {
                known.push(pair);
            }
        }
        Ok(paths
            .iter()
            .map(|path| of.get(path.as_bytes()).cloned().unwrap_or_default())
            .collect())
    }

    /// The attribute files outside of the repository: the person's own, and the system's.
    ///
    /// # Errors
    /// If git refuses.
    pub fn attribute_files(&self) -> Result<Vec<PathBuf>> {
        let line = |words: &[&str]| {
            let said = self.git().args(words).output().ok()?;
            let line = said
                .trim_end_with(|sign| sign == '\n')
                .to_path_lossy()
                .into_owned();
            (!line.as_os_str().is_empty()).then_some(line)
        };
        let own = line(&["config", "--type=path", "--get", "core.attributesFile"]).or_else(|| {
            let of = |name: &str| std::env::var_os(name).filter(|value| !value.is_empty());
            let folder = of("XDG_CONFIG_HOME").map(PathBuf::from);
            let folder = folder.or_else(|| Some(PathBuf::from(of("HOME")?).join(".config")))?;
            Some(folder.join("git/attributes"))
        });
        let is_without = std::env::var_os("GIT_ATTR_NOSYSTEM").is_some();
        let system =
            || line(&["var", "GIT_ATTR_SYSTEM"]).unwrap_or_else(|| "/etc/gitattributes".into());
        let system = (!is_without).then(system);
        Ok(own.into_iter().chain(system).collect())
    }

    /// The value of one attribute for each of these paths that has one; "set" or "unset" where it
    /// has none of its own.
    ///
    /// # Errors
    /// If git refuses.
    pub fn attribute(&self, name: &str, paths: &[&BStr]) -> Result<HashMap<BString, BString>> {
        if paths.is_empty() {
            return Ok(HashMap::new());
        }
        let mut asked = Vec::new();
        for path in paths {
            asked.extend_from_slice(path);
            asked.push(0);
        }
        let said = self
            .git()
            .args(["check-attr", "--stdin", "-z", name])
            .with_input(&asked)?;
        // `path` NUL `attribute` NUL `value` NUL (git-check-attr(1)).
        let fields: Vec<&[u8]> = said.split(|byte| *byte == 0).collect();
        let triples = fields
            .chunks_exact(3)
            .filter(|triple| triple[2] != b"unspecified");
        Ok(triples
            .map(|triple| (triple[0].into(), triple[2].into()))
            .collect())
    }
}
