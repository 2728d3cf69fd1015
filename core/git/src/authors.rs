//! Whom commits name, and what is odd about their addresses.

use crate::messages::EVERYTHING;
use crate::{Repository, Result};
use bstr::{BStr, ByteSlice};
use std::collections::BTreeMap;

/// Somebody whom commits name.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Author {
    /// The name.
    pub name: String,
    /// The mail address.
    pub email: String,
}

impl Author {
    /// Reads `NAME <EMAIL> TIME ZONE` (git-var(1)).
    pub(crate) fn parse(line: &[u8]) -> Option<Self> {
        let (name, rest) = line.split_once_str("<")?;
        let (email, _) = rest.split_once_str(">")?;
        Some(Self {
            name: name.trim().to_str_lossy().into_owned(),
            email: email.to_str_lossy().into_owned(),
        })
    }
}

impl std::fmt::Display for Author {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{} <{}>", self.name, self.email)
    }
}

/// Somebody whom commits name, and where.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Named {
    /// The commits that name them, as author or as committer, the newest first; never empty.
    pub all: Vec<String>,
    /// The day of the oldest, `YYYY-MM-DD`.
    pub since: String,
}

/// What somebody has in a push.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct AuthorShare {
    /// How many of its commits.
    pub commits: u64,
    /// What is odd about the address, if anything is.
    pub oddity: Option<Oddity>,
}

/// What is odd about an address.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Oddity {
    /// It reaches nobody: none, one without a domain, or of a machine.
    NoAddress,
    /// It is of a domain for examples (RFC 2606).
    MadeUp,
    /// The same name has another address in most commits.
    Other,
}

impl Oddity {
    /// Its word in documents.
    pub fn word(self) -> &'static str {
        match self {
            Self::NoAddress => "no-address",
            Self::MadeUp => "made-up",
            Self::Other => "other-address",
        }
    }
}

/// How many commits are looked at for the addresses that somebody uses.
const RECENT: &str = "--max-count=1000";

/// Domains for examples that people copy from a manual (RFC 2606).
const MADE_UP: [&[u8]; 6] = [
    b"example.com",
    b"example.org",
    b"example.net",
    b".invalid",
    b".test",
    b".localhost",
];

impl Repository {
    /// Who the next commit is by; `None` where git doesn't know and would refuse it.
    pub fn author(&self) -> Option<Author> {
        let said = self.git().args(["var", "GIT_AUTHOR_IDENT"]).output().ok()?;
        Author::parse(&said)
    }

    /// Everybody whom commits name as author or committer, of all branches and tags.
    ///
    /// # Errors
    /// If git refuses.
    pub fn people(&self) -> Result<BTreeMap<Author, Named>> {
        let mut people: BTreeMap<Author, Named> = BTreeMap::new();
        if !self.has_commit() {
            return Ok(people);
        }
        let log = ["log", "-z", "--encoding=UTF-8"];
        let format = "--format=%H%x01%cs%x01%an%x01%ae%x01%cn%x01%ce";
        let log = self.git().args(log).args([format]).args(EVERYTHING);
        for record in log.args(["--"]).output()?.split(|byte| *byte == 0) {
            let record = record.to_str_lossy();
            let words: Vec<&str> = record.split('\x01').collect();
            let [commit, day, author, email, committer, other] = words[..] else {
                continue;
            };
            let mut named = vec![(author, email)];
            named.extend(Some((committer, other)).filter(|one| *one != (author, email)));
            for (name, email) in named {
                let author = Author {
                    name: name.to_owned(),
                    email: email.to_owned(),
                };
                let one = people.entry(author).or_default();
                one.all.push(commit.to_owned());
                day.clone_into(&mut one.since);
            }
        }
        Ok(people)
    }

    /// The authors of a push with what is odd about their addresses.
    ///
    /// # Errors
    /// If git refuses.
    pub(crate) fn with_oddities(
        &self,
        authors: BTreeMap<Author, u64>,
    ) -> Result<BTreeMap<Author, AuthorShare>> {
        let mut shares: BTreeMap<Author, AuthorShare> = authors
            .into_iter()
            .map(|(author, commits)| {
                let oddity = None;
                (author, AuthorShare { commits, oddity })
            })
            .collect();
        if shares.is_empty() {
            return Ok(shares);
        }
        let mut uses: BTreeMap<Author, u64> = BTreeMap::new();
        for author in self.recent_authors()? {
            *uses.entry(author).or_default() += 1;
        }
        let has_other = |author: &Author| {
            let mut same = uses.iter().filter(|(known, _)| known.name == author.name);
            same.any(|(known, commits)| {
                known != author && *commits > uses.get(author).copied().unwrap_or(0)
            })
        };
        for (author, share) in &mut shares {
            let email = BStr::new(author.email.as_bytes());
            let lower = email.to_ascii_lowercase();
            share.oddity = if is_no_address(email) {
                Some(Oddity::NoAddress)
            } else if MADE_UP.iter().any(|domain| lower.ends_with(domain)) {
                Some(Oddity::MadeUp)
            } else {
                has_other(author).then_some(Oddity::Other)
            };
        }
        Ok(shares)
    }

    /// The author of each of the last commits.
    fn recent_authors(&self) -> Result<Vec<Author>> {
        let log = ["log", "-z", "--format=%an%x01%ae", RECENT, "HEAD", "--"];
        let log = self.git().args(log).output()?;
        let records = log.split(|byte| *byte == 0).filter_map(|record| {
            let record = record.to_str_lossy();
            let (name, email) = record.split_once('\x01')?;
            Some(Author {
                name: name.to_owned(),
                email: email.to_owned(),
            })
        });
        Ok(records.collect())
    }
}

/// Whether an address of mail reaches nobody: none, one without a domain, or of a machine.
pub fn is_no_address(email: &BStr) -> bool {
    let Some((name, host)) = email.split_once_str("@") else {
        return true;
    };
    let ends = [
        &b".local"[..],
        b".localdomain",
        b".lan",
        b".internal",
        b".(none)",
    ];
    name.is_empty() || !host.contains(&b'.') || ends.iter().any(|end| host.ends_with(end))
}
