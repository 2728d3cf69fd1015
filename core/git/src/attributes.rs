//! What git's attributes say of paths (gitattributes(5)).

use crate::{Repository, Result};
use bstr::{BStr, BString, ByteSlice};
use std::collections::HashMap;

impl Repository {
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
