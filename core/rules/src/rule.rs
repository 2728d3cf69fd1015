//! A rule: one line of an ignore file that holds a pattern.

use crate::glob::{Against, Glob, is_special};
use bstr::{BStr, BString, ByteSlice};

/// Whether upper and lower case are distinguished (git's `core.ignoreCase`).
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub enum Case {
    /// `A` and `a` differ.
    #[default]
    Sensitive,
    /// `A` and `a` are the same, for ASCII letters.
    Blind,
}

/// One rule as git reads it.
#[derive(Clone)]
pub struct Rule {
    /// The pattern as git prints it: with `!` and a trailing `/`, without what git drops from the
    /// line.
    pub text: BString,
    /// Where it is in its file, from 1.
    pub line: u32,
    /// It starts with `!`: what it matches is not ignored.
    pub negated: bool,
    /// It ends with `/`: it matches folders only.
    pub folders_only: bool,
    /// It holds a slash that is not the last byte: it is matched against the path below its file's
    /// folder. A rule without is matched against names, at any depth.
    pub anchored: bool,
    glob: Glob,
}

impl Rule {
    /// Reads a rule from a line without its end, as git's own reader would hand it on (see
    /// [`crate::lines`]).
    pub fn parse(text: &[u8], line: u32, case: Case) -> Self {
        let (negated, body) = match text.strip_prefix(b"!") {
            Some(body) => (true, body),
            None => (false, text),
        };
        let (folders_only, body) = match body.strip_suffix(b"/") {
            Some(body) => (true, body),
            None => (false, body),
        };
        let anchored = body.contains(&b'/');
        let against = if anchored {
            Against::Path
        } else {
            Against::Name
        };
        let pattern = if anchored {
            body.strip_prefix(b"/").unwrap_or(body)
        } else {
            body
        };
        let glob = Glob::new(pattern, against, case == Case::Blind);
        Self {
            text: text.into(),
            line,
            negated,
            folders_only,
            anchored,
            glob,
        }
    }

    /// Whether it tells upper and lower case apart.
    pub fn case(&self) -> Case {
        if self.glob.is_blind() {
            Case::Blind
        } else {
            Case::Sensitive
        }
    }

    /// The compiled pattern. What it must match: the path below the rule's folder if
    /// [`Rule::anchored`], else the name.
    pub fn glob(&self) -> &Glob {
        &self.glob
    }

    /// Whether the rule's pattern matches `path`, a path below the rule's folder with no slash at
    /// either end. Says nothing of folders above it, nor of what negation means.
    pub fn matches(&self, path: &BStr, is_folder: bool) -> bool {
        if self.folders_only && !is_folder {
            return false;
        }
        let name = path
            .rfind_byte(b'/')
            .map_or(path.as_bytes(), |slash| &path[slash + 1..]);
        self.glob.matches(if self.anchored { path } else { name })
    }

    /// Whether the rule's pattern matches `path` or a folder above it. A path that ends in a slash
    /// is a folder.
    pub fn reaches(&self, path: &BStr) -> bool {
        let bare = path.strip_suffix(b"/").unwrap_or(path).as_bstr();
        bare.find_iter("/")
            .any(|slash| self.matches(bare[..slash].as_bstr(), true))
            || self.matches(bare, bare.len() < path.len())
    }
}

/// A pattern that matches this literal text: special characters get a back-slash, as do a leading
/// `#` or `!` and a space at the end. A line end can't be written in an ignore file; `?` stands for
/// it.
pub fn quote(literal: &BStr) -> BString {
    let mut quoted = BString::from(Vec::with_capacity(literal.len() + 2));
    let last = literal.len().saturating_sub(1);
    for (at, &byte) in literal.iter().enumerate() {
        let leads = at == 0 && matches!(byte, b'#' | b'!');
        let trails = at == last && byte == b' ';
        if byte == b'\n' || at == last && byte == b'\r' {
            quoted.push(b'?');
            continue;
        }
        if is_special(byte) || leads || trails {
            quoted.push(b'\\');
        }
        quoted.push(byte);
    }
    quoted
}
