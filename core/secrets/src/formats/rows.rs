//! The rows of the table as they are written; those of calls and commands are put together to
//! patterns.

use super::FileCategory;
use crate::proof::Proof;
use redshank_rules::PatternSet;
use serde::Deserialize;
use std::collections::BTreeMap;

/// A row of the table as it is written.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Row {
    pub(super) name: String,
    pub(super) title: String,
    #[serde(default)]
    pub(super) keywords: Vec<String>,
    pub(super) token: Option<String>,
    pub(super) pattern: Option<String>,
    #[serde(default)]
    pub(super) proof: Proof,
    pub(super) only: Option<FileCategory>,
    #[serde(default)]
    pub(super) by: By,
    pub(super) issued: Option<bool>,
    pub(super) replace: Option<String>,
    #[serde(default)]
    pub(super) armour: bool,
    #[serde(default)]
    pub(super) client: bool,
}

/// What a pattern is tried on.
#[derive(Deserialize, Clone, Copy, PartialEq, Eq, Default)]
#[serde(rename_all = "lowercase")]
pub(super) enum By {
    /// The line that holds the keyword.
    #[default]
    Line,
    /// From where the name starts that holds the keyword, to the line's end.
    Word,
    /// From where the token starts that holds the keyword, to the line's end.
    Token,
    Text,
    /// Nothing: it is the name for what names are given in its kind of file.
    Assignment,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Table {
    pub(super) format: Vec<Row>,
    pub(super) call: Vec<CallRow>,
    pub(super) command: Vec<CommandRow>,
    pub(super) file: Vec<FileRow>,
    pub(super) kinds: BTreeMap<FileCategory, PatternSet>,
}

/// Functions that take a secret at a place among their arguments.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct CallRow {
    names: Vec<String>,
    /// How many arguments are before it.
    #[serde(default)]
    behind: usize,
    /// The argument is a login and the secret, with a colon between.
    #[serde(default)]
    login: bool,
    /// Other things are called so, too: a word isn't enough, and what is before it is texts and
    /// numbers.
    #[serde(default)]
    mixed: bool,
}

/// Commands that take a secret on their line.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct CommandRow {
    names: Vec<String>,
    /// Options before it, glued to it or not; none if it is a word by itself.
    #[serde(default)]
    options: Vec<String>,
    /// How many words are before it, where it is one by itself.
    #[serde(default)]
    behind: usize,
    /// A login and the secret, with one of these signs between.
    login: Option<String>,
}

/// A pattern of one of some words.
fn one_of(words: &[String]) -> String {
    let words: Vec<String> = words.iter().map(|word| regex::escape(word)).collect();
    words.join("|")
}

impl CallRow {
    pub(super) fn row(self) -> Row {
        let names = one_of(&self.names);
        let text = r#""(?:[^"\\\n]|\\.)*"|'(?:[^'\\\n]|\\.)*'"#;
        let argument = if self.mixed {
            format!(r"(?:{text}|\d+)\s*(?:,|=>)")
        } else {
            format!(r#"(?:[^,"'()\n]|{text}|\([^()\n]*\))*?(?:,|=>)"#)
        };
        let login = if self.login {
            r#"(?P<login>[^"':\n]{1,80}):"#
        } else {
            ""
        };
        let secret = r#"(?P<secret>[^"'\s]{4,200})["']"#;
        let pattern = format!(
            r#"(?i)(?:{names})\(\s*(?:{argument}\s*){{{behind}}}(?:some\(|new\s+|@|b|n|u|l|r|\[\]byte\()?\s*["']{login}{secret}"#,
            behind = self.behind
        );
        Row {
            title: "a password handed to what connects or signs".to_owned(),
            // An only argument may be anything.
            proof: if self.behind == 0 || self.mixed {
                Proof::Mixed
            } else {
                Proof::Chosen
            },
            ..Row::chosen(
                "password-in-call",
                self.names.iter().map(|name| format!("{name}(")),
                pattern,
            )
        }
    }
}

impl CommandRow {
    pub(super) fn row(self) -> Row {
        let names = one_of(&self.names);
        let options = one_of(&self.options);
        let before = if self.options.is_empty() {
            format!(r"(?:[^\s|;&]+\s+){{{}}}", self.behind)
        } else {
            format!(r#"(?:[^\n|;&]{{0,200}}?[\s"'])??(?:{options})(?:=|["',]*\s*)"#)
        };
        let login = self
            .login
            .map(|signs| format!(r#"(?P<login>[^\s"'{signs}]{{1,80}})[{signs}]["']?"#));
        let pattern = format!(
            r#"(?i)(?:^|[\s"'`(\[/\\;&|=])(?:{names})(?:\.exe|\.cmd)?["',]*\s+{before}["']?{login}(?P<secret>[^\s"'$<{{`|;&%-][^\s"'`|;&]{{3,120}})"#,
            login = login.unwrap_or_default()
        );
        let words = self.names.iter().map(|name| format!("{name} "));
        Row {
            title: "a password on a command line".to_owned(),
            ..Row::chosen("command-line-password", words, pattern)
        }
    }
}

impl Row {
    /// About what somebody chose, found by a pattern on its line.
    fn chosen(name: &str, keywords: impl Iterator<Item = String>, pattern: String) -> Self {
        Self {
            name: name.to_owned(),
            title: String::new(),
            keywords: keywords.collect(),
            token: None,
            pattern: Some(pattern),
            proof: Proof::Mixed,
            only: None,
            by: By::Line,
            issued: None,
            replace: None,
            armour: false,
            client: false,
        }
    }
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct FileRow {
    pub(crate) name: String,
    pub(crate) title: String,
    pub(super) patterns: PatternSet,
}
