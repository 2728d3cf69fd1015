//! Why no program runs that a repository's configuration names.
//!
//! git's configuration can name programs, and git starts them on the way to an answer: a monitor of
//! the file system, a program that shows signatures, a transport that brings a missing object. What
//! a person has set for themselves (their own and the system's configuration, git-config(1)
//! "SCOPES") was chosen by them. What a repository sets was chosen by anyone who made the
//! repository, and is switched off in every call, by the first way of these that fits:

use bstr::{BStr, BString, ByteSlice, ByteVec};
use std::ffi::OsString;

/// Keys that are set otherwise in every call, no matter who set them, and why that costs nothing.
pub(crate) const ALWAYS: &[(&str, &str)] = &[
    // Answers are the same without a monitor; nobody's index is left with what it said.
    ("core.fsmonitor", "false"),
    // Reading and writing the index, and references, would run hooks (githooks(5)).
    ("core.hooksPath", "/dev/null"),
    // `gpg.program`, `gpg.ssh.program`, `gpg.x509.program`, `gpg.ssh.defaultKeyCommand` are started
    // to show a signature.
    ("log.showSignature", "false"),
    // No call of ours talks to another repository: `core.sshCommand`, `core.gitProxy`,
    // `core.askPass`, `credential.helper`, `remote.*.vcs` and `remote.*.uploadpack` are only for
    // that.
    ("protocol.allow", "never"),
    // What is in another repository is its own matter, and its configuration isn't looked at.
    ("submodule.recurse", "false"),
    ("diff.ignoreSubmodules", "dirty"),
    // Nothing of ours makes so much that it would have to be cleared up (`gc.recentObjectsHook`).
    ("gc.auto", "0"),
    ("maintenance.auto", "false"),
];

/// Variables that are set in every call.
pub(crate) const ENVIRONMENT: &[(&str, &str)] = &[
    // Messages are compared and shown; they come in one language.
    ("LC_ALL", "C"),
    // Reading never takes the index's lock.
    ("GIT_OPTIONAL_LOCKS", "0"),
    // An object that isn't here is missing, and not brought from elsewhere.
    ("GIT_NO_LAZY_FETCH", "1"),
    ("GIT_ALLOW_PROTOCOL", "none"),
    ("GIT_TERMINAL_PROMPT", "0"),
    // `core.pager`, `pager.*`.
    ("GIT_PAGER", "cat"),
];

/// What a key is set to, in every call, where the repository sets it: the person's own value, or
/// this one. The first part of a key and the last are named; whatever is between them is a name
/// that the repository chose.
const OF_REPOSITORY: &[(&str, &str, &str)] = &[
    // git runs them on contents on the way into the index and out of it (gitattributes(5)).
    ("filter", "clean", ""),
    ("filter", "smudge", ""),
    ("filter", "process", ""),
    // A filter that must run and doesn't would be an error.
    ("filter", "required", "false"),
];

// Left: keys of commands that are never called. `alias.*` can't name a command of git's;
// `core.editor`, `sequence.editor`, `commit.gpgSign`, `merge.*.driver`, `mergetool.*`,
// `difftool.*`, `tar.*.command`, `sendemail.*`, `instaweb.*`, `man.*`, `browser.*`,
// `interactive.diffFilter`, `trailer.*.command`, `submodule.*.update`,
// `uploadpack.packObjectsHook`, `receive.*`, `core.alternateRefsCommand` and `hook.*.command`
// belong to commands that write commits, merge, talk to others or show pages. `diff.external`,
// `diff.*.command` and `diff.*.textconv` make text of a difference: every call of ours that
// compares asks for names or for raw lines, and says `--no-ext-diff --no-textconv`.
// `init.templateDir` is overruled by `--template=`.

/// The configuration keys to be set in calls for a repository, from
/// `git config --list -z --show-scope`.
pub(crate) fn overruled(listed: &[u8]) -> Vec<OsString> {
    let entries: Vec<(&[u8], &BStr, Option<&BStr>)> = entries(listed).collect();
    let mut keys: Vec<(&BStr, &str)> = Vec::new();
    for (scope, key, _) in &entries {
        let row = OF_REPOSITORY.iter().find(|(first, last, _)| {
            key.strip_prefix(first.as_bytes())
                .is_some_and(|rest| rest.starts_with(b"."))
                && key
                    .rsplit_once_str(".")
                    .is_some_and(|(_, end)| end == last.as_bytes())
        });
        if let Some((_, _, otherwise)) = row
            && !is_persons(scope)
            && !keys.iter().any(|(known, _)| known == key)
        {
            keys.push((key, otherwise));
        }
    }
    let own = |key: &BStr| {
        let mut persons = entries
            .iter()
            .rev()
            .filter(|(scope, known, _)| is_persons(scope) && *known == key);
        persons
            .next()
            .map(|(_, _, value)| value.unwrap_or("true".into()).to_owned())
    };
    let set = |(key, otherwise): (&BStr, &str)| {
        let value = own(key).unwrap_or_else(|| BString::from(otherwise));
        BString::from([key.as_bytes(), b"=", &value].concat())
    };
    keys.into_iter()
        .flat_map(|key| ["-c".into(), Vec::from(set(key)).into_os_string_lossy()])
        .collect()
}

/// Keys of programs that git starts when a person adds and commits: the first part, and the last;
/// whatever is between them is a name that the repository chose.
const AT_COMMIT: &[(&str, &str)] = &[
    ("core", "fsmonitor"),
    ("core", "hookspath"),
    ("filter", "clean"),
    ("filter", "process"),
    ("gpg", "program"),
    ("gpg", "defaultkeycommand"),
    ("hook", "command"),
];

/// The keys by which the repository's own configuration names programs that `git add` and
/// `git commit` start.
pub(crate) fn started_at_commit(listed: &[u8]) -> Vec<BString> {
    let is_plain = |value: Option<&BStr>| {
        // git's own monitor is no program of the repository's.
        value.is_none_or(|value| {
            let value = value.to_ascii_lowercase();
            [
                &b""[..],
                b"true",
                b"false",
                b"1",
                b"0",
                b"yes",
                b"no",
                b"on",
                b"off",
            ]
            .contains(&&value[..])
        })
    };
    let is_one = |key: &BStr| {
        AT_COMMIT.iter().any(|(first, last)| {
            let last = [b".", last.as_bytes()].concat();
            key.strip_prefix(first.as_bytes())
                .is_some_and(|rest| rest.starts_with(b"."))
                && key.ends_with(&last)
        })
    };
    let found = entries(listed)
        .filter(|(scope, key, value)| !is_persons(scope) && is_one(key) && !is_plain(*value));
    let mut keys: Vec<BString> = found.map(|(_, key, _)| key.to_owned()).collect();
    keys.sort();
    keys.dedup();
    keys
}

/// Whether a scope is the person's: their own configuration, the system's, or what they said for
/// this one call.
pub(crate) fn is_persons(scope: &[u8]) -> bool {
    [&b"system"[..], b"global", b"command"].contains(&scope)
}

/// The entries of such a list: scope, key, and value where there is one.
pub(crate) fn entries(listed: &[u8]) -> impl Iterator<Item = (&[u8], &BStr, Option<&BStr>)> {
    let mut fields = listed.split(|byte| *byte == 0);
    std::iter::from_fn(move || {
        let (scope, entry) = (fields.next()?, fields.next()?);
        let (key, value) = entry
            .split_once_str("\n")
            .map_or((entry, None), |(key, value)| (key, Some(value.as_bstr())));
        Some((scope, key.as_bstr(), value))
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_repositorys_filters_give_way_to_the_persons() {
        let listed =
            b"global\0filter.lfs.clean\ngit-lfs clean\0local\0filter.lfs.clean\n./evil\0local\0filter.a.b.process\nx\0\
                       worktree\0filter.a.b.required\ntrue\0local\0user.name\nNia\0";
        let said: Vec<String> = overruled(listed)
            .iter()
            .map(|word| word.to_string_lossy().into_owned())
            .collect();
        let wanted = [
            "-c",
            "filter.lfs.clean=git-lfs clean",
            "-c",
            "filter.a.b.process=",
            "-c",
            "filter.a.b.required=false",
        ];
        assert_eq!(said, wanted);
    }
}
