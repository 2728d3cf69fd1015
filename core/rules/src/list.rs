//! The rules of one source.

use super::lookup::Lookup;
use crate::{Case, Line, Rule, raw_lines};
use crate::{Source, excerpt};
use bstr::{BStr, BString, ByteSlice};
use std::num::NonZero;
use std::sync::Arc;
use std::thread::available_parallelism;

/// From this number of lines on, a file is read by several threads.
const WORTH_SHARING: usize = 4096;

/// The rules of one source, in file order, indexed.
pub struct RuleList {
    /// Where they come from.
    pub source: Source,
    rules: Vec<Rule>,
    lookup: Lookup,
}

impl RuleList {
    /// Reads the rules of a source from its contents.
    pub fn parse(source: Source, contents: &[u8], case: Case) -> Self {
        let lines: Vec<(u32, &[u8])> = (1..).zip(raw_lines(contents)).collect();
        let read = |part: &[(u32, &[u8])]| -> Vec<Rule> {
            let lines = part
                .iter()
                .map(|(number, line)| Line::read(line, *number, case));
            let rules = lines.filter_map(|line| match line {
                Line::Rule(rule) => Some(rule),
                Line::Blank | Line::Comment => None,
            });
            rules.collect()
        };
        let threads = if lines.len() < WORTH_SHARING {
            1
        } else {
            available_parallelism().map_or(1, NonZero::get)
        };
        if threads == 1 {
            return Self::from_rules(source, read(&lines), case);
        }
        // Threads of its own: one of a pool might be given work that waits for this list.
        let rules = std::thread::scope(|scope| {
            let parts = lines.chunks(lines.len().div_ceil(threads));
            let parts: Vec<_> = parts.map(|part| scope.spawn(|| read(part))).collect();
            let read = parts.into_iter().map(|part| part.join());
            read.collect::<Result<Vec<_>, _>>()
        });
        match rules {
            Ok(rules) => Self::from_rules(source, rules.into_iter().flatten().collect(), case),
            Err(panic) => std::panic::resume_unwind(panic),
        }
    }

    /// A list of rules that are read already, all in that case.
    pub fn from_rules(source: Source, rules: Vec<Rule>, case: Case) -> Self {
        let lookup = Lookup::build(&rules, case);
        Self {
            source,
            rules,
            lookup,
        }
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.rules.is_empty()
    }

    /// The rules in file order.
    pub fn rules(&self) -> &[Rule] {
        &self.rules
    }

    /// The places of all rules that match a path, looking at no folder above it; none for a path
    /// above this list's folder.
    pub fn all_matches(&self, path: &BStr, is_folder: bool) -> Vec<u32> {
        let Some(below) = path.strip_prefix(self.source.base.as_bytes()) else {
            return Vec::new();
        };
        let name_at = below
            .iter()
            .rposition(|byte| *byte == b'/')
            .map_or(0, |slash| slash + 1);
        self.lookup
            .all(&self.rules, below, &below[name_at..], is_folder)
    }

    /// The last rule that matches a path, looking at no folder above it; none for a path above this
    /// list's folder. `is_folder` is asked only where it matters.
    pub fn last(&self, path: &BStr, is_folder: &dyn Fn() -> bool) -> Option<&Rule> {
        let name_at = path.rfind_byte(b'/').map_or(0, |slash| slash + 1);
        let at = self.last_match(path, name_at, is_folder)?;
        self.rules.get(at as usize)
    }

    /// The last rule that matches a path below this list's folder; none for a path above it.
    /// `name_at` is where the path's last part starts.
    pub(crate) fn last_match(
        &self,
        path: &BStr,
        name_at: usize,
        is_folder: &dyn Fn() -> bool,
    ) -> Option<u32> {
        let below = path.strip_prefix(self.source.base.as_bytes())?;
        self.lookup
            .last(&self.rules, below, &path[name_at..], is_folder)
    }
}

/// Which rule it is: the list, by address, and the place in it.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct RuleId(usize, u32);

impl RuleId {
    /// The identity of a rule by its list and its place there.
    pub fn new(list: &Arc<RuleList>, at: usize) -> Self {
        Self(Arc::as_ptr(list) as usize, at as u32)
    }
}

/// A rule that decides, with the list that holds it.
#[derive(Clone)]
pub struct Ruling {
    list: Arc<RuleList>,
    at: u32,
}

impl Ruling {
    /// The rule's pattern, for people.
    pub fn excerpt(&self) -> BString {
        excerpt(self.rule().text.as_bstr())
    }

    pub(crate) fn new(list: Arc<RuleList>, at: u32) -> Self {
        Self { list, at }
    }

    /// Which rule it is, among all that live at the same time.
    pub fn id(&self) -> RuleId {
        RuleId::new(&self.list, self.at as usize)
    }

    /// The list that holds it.
    pub fn list(&self) -> &Arc<RuleList> {
        &self.list
    }

    /// The rule, in its list.
    pub fn rule(&self) -> &Rule {
        &self.list.rules[self.at as usize]
    }

    /// The file that holds it.
    pub fn source(&self) -> &Source {
        &self.list.source
    }

    /// Whether what it matches is ignored.
    pub fn ignores(&self) -> bool {
        !self.rule().negated
    }
}
