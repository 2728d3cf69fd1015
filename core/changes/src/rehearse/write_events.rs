//! What was seen of paths while something ran: when, and by whom.

use redshank_rules::{RepoPath, RepoPathBuf};
use std::collections::{BTreeMap, BTreeSet};
use std::ops::Bound;
use std::time::Duration;

/// What was seen of a path, or of all that is in a folder.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct WriteEvent {
    /// When it was first written, from the start.
    pub first: Duration,
    /// When the last one was written.
    pub last: Duration,
    /// How often somebody wrote, with pauses between.
    pub times: u32,
    /// The programs that had it open to write, where the system tells.
    pub by: BTreeSet<String>,
    /// The programs that wrote something just then, where none of them was seen to have it open.
    pub beside: BTreeSet<String>,
}

impl WriteEvent {
    /// What was seen of two paths.
    pub(super) fn and(mut self, other: Self) -> Self {
        self.by.extend(other.by);
        self.beside.extend(other.beside);
        Self {
            first: self.first.min(other.first),
            last: self.last.max(other.last),
            times: self.times.max(other.times),
            by: self.by,
            beside: self.beside,
        }
    }
}

/// What was seen, by path.
#[derive(Debug, Clone, Default)]
pub struct WriteEvents(BTreeMap<RepoPathBuf, WriteEvent>);

/// A pause this long ends a time of writing.
const PAUSE: Duration = Duration::from_secs(2);

impl WriteEvents {
    /// Notes that a path was written, so long after the start.
    pub fn written(&mut self, path: &RepoPath, at: Duration) {
        let seen = self.0.entry(path.bare().to_owned());
        let seen = seen.or_insert_with(|| WriteEvent {
            first: at,
            last: at,
            times: 1,
            ..WriteEvent::default()
        });
        seen.times += u32::from(at.saturating_sub(seen.last) >= PAUSE);
        seen.last = seen.last.max(at);
    }

    /// Notes which program has a path open to write.
    pub fn held(&mut self, path: &RepoPath, at: Duration, program: &str) {
        self.written(path, at);
        if let Some(seen) = self.0.get_mut(path.bare()) {
            seen.by.insert(program.to_owned());
        }
    }

    /// Notes which programs wrote something when this path was written.
    pub fn beside(&mut self, path: &RepoPath, programs: &[String]) {
        if let Some(seen) = self.0.get_mut(path.bare()) {
            seen.beside.extend(programs.iter().cloned());
        }
    }

    /// What was seen of a path; of a folder, all that was seen in it.
    pub fn last_write(&self, path: &RepoPath) -> Option<WriteEvent> {
        let below = path.as_folder();
        let own = self.0.get_key_value(path.bare());
        let in_it = self
            .0
            .range::<RepoPath, _>((Bound::Included(&*below), Bound::Unbounded));
        let in_it = in_it.take_while(|(inner, _)| path.is_folder() && inner.starts_with(&below));
        let all = own.into_iter().chain(in_it).map(|(_, seen)| seen);
        all.cloned().reduce(WriteEvent::and)
    }

    /// Every path that was seen; one that is or was a folder has no slash at its end.
    pub fn paths(&self) -> impl Iterator<Item = &RepoPath> {
        self.0.keys().map(|path| &**path)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_folder_is_seen_where_something_in_it_is_and_no_other() {
        let mut seen = WriteEvents::default();
        let at = Duration::from_millis;
        seen.written(RepoPath::new("out"), at(100));
        seen.held(RepoPath::new("out/a.js"), at(300), "bundler");
        seen.written(RepoPath::new("out-2/a.js"), at(900));
        seen.written(RepoPath::new("out/a.js"), at(5_000));
        let out = seen.last_write(RepoPath::new("out/")).unwrap();
        assert_eq!((out.first, out.last, out.times), (at(100), at(5_000), 2));
        assert_eq!(out.by, BTreeSet::from(["bundler".to_owned()]));
        assert_eq!(seen.last_write(RepoPath::new("ou/")), None);
        assert_eq!(seen.last_write(RepoPath::new("out")).unwrap().last, at(100));
    }
}
