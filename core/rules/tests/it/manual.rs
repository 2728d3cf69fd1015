//! What gitignore(5) says, sentence by sentence, and what git does where the manual is silent.

use bstr::{BString, ByteSlice};
use redshank_rules::{Case, Line, Rule, lines, quote};

fn rules(file: &[u8]) -> Vec<Rule> {
    lines(file, Case::Sensitive)
        .filter_map(|line| {
            if let Line::Rule(rule) = line {
                Some(rule)
            } else {
                None
            }
        })
        .collect()
}

/// A row: the pattern, a path (a folder ends in `/`), and whether the pattern matches it.
fn check(case: Case, table: &[(&str, &str, bool)]) {
    for (pattern, path, expected) in table {
        let rule = Rule::parse(pattern.as_bytes(), 1, case);
        let bare = path.trim_end_matches('/');
        let found = rule.matches(bare.into(), path.ends_with('/'));
        assert_eq!(found, *expected, "pattern {pattern:?} against {path:?}");
    }
}

#[test]
fn a_slash_that_is_not_last_ties_the_pattern_to_its_folder() {
    check(
        Case::Sensitive,
        &[
            ("tide", "tide", true),
            ("tide", "gauge/tide", true),
            ("/tide", "tide", true),
            ("/tide", "gauge/tide", false),
            ("gauge/tide", "gauge/tide", true),
            ("gauge/tide", "north/gauge/tide", false),
            ("tide/", "gauge/tide/", true),
            ("tide/", "tide", false),
            ("gauge/tide/", "gauge/tide/", true),
            ("gauge/tide/", "gauge/tide", false),
            ("/", "tide/", false),
            ("//tide", "tide", false),
            ("", "tide", false),
        ],
    );
}

#[test]
fn wildcards_stop_at_slashes() {
    check(
        Case::Sensitive,
        &[
            ("*.log", "tide.log", true),
            ("*.log", "gauge/tide.log", true),
            ("*.log", "tide.logs", false),
            ("gauge/*.log", "gauge/tide.log", true),
            ("gauge/*.log", "gauge/north/tide.log", false),
            ("/*", "tide", true),
            ("/*", "gauge/tide", false),
            ("t?de", "tide", true),
            ("gauge?tide", "gauge/tide", false),
            ("gauge/t?de", "gauge/tide", true),
            ("a?b/c", "a/b/c", false),
            ("*a*b*c", "xaybzc", true),
            ("*a*b*c", "xaybz", false),
            ("**.log", "tide.log", true),
            ("g**e/tide", "gauge/tide", true),
            ("x/g**e", "x/ga/uge", false),
        ],
    );
}

#[test]
fn two_asterisks_between_slashes_span_folders() {
    check(
        Case::Sensitive,
        &[
            ("**/tide", "tide", true),
            ("**/tide", "a/b/tide", true),
            ("**/tide", "a/btide", false),
            ("gauge/**", "gauge/a/b", true),
            ("gauge/**", "gauge/", false),
            ("a/**/b", "a/b", true),
            ("a/**/b", "a/x/y/b", true),
            ("a/**/b", "a/xb", false),
            ("**/a/**/b/**", "x/a/y/b/z", true),
            ("**/a/**/b/**", "x/a/y/b", false),
            ("**/*.o/x*", "p/q.o/r/s.o/xy", true),
            ("***/tide", "a/b/tide", true),
            // The literal head is compared first, and the rest starts with the asterisks.
            ("a**/b", "ax/y/b", true),
            ("a**/b", "ab", true),
            ("a/**\\/b", "a/x/y/b", true),
            ("a/**\\/b", "a/b", false),
        ],
    );
}

#[test]
fn brackets_match_one_byte_of_a_set() {
    check(
        Case::Sensitive,
        &[
            ("[a-c]1", "b1", true),
            ("[a-c]1", "d1", false),
            ("[!a-c]1", "d1", true),
            ("[^a-c]1", "b1", false),
            ("[]a]", "]", true),
            ("[!]a]", "]", false),
            ("[a-]", "-", true),
            ("[]-a]", "^", true),
            ("[\\]]", "]", true),
            ("[a-\\c]", "b", true),
            ("[[:digit:]_]x", "7x", true),
            ("[[:digit:]_]x", "_x", true),
            ("[[:digit:]_]x", "ax", false),
            ("[[:tidal:]]", "t", false),
            ("[[:d]x", ":x", true),
            ("[ab", "[ab", false),
            ("a[/]b/c", "a/b/c", false),
            ("x/a[!b]c", "x/a/c", false),
            ("[--0]", ".", true),
            ("[[:alpha:]-z]", "-", true),
        ],
    );
}

#[test]
fn a_back_slash_takes_the_next_byte_as_it_is() {
    check(
        Case::Sensitive,
        &[
            ("\\#tide", "#tide", true),
            ("\\!tide", "!tide", true),
            ("t\\*de", "t*de", true),
            ("t\\*de", "tide", false),
            ("ti\\de", "tide", true),
            ("tide\\", "tide\\", false),
            ("tide\\\\", "tide\\", true),
            ("tide\\/", "tide/", false),
        ],
    );
}

#[test]
fn case_is_folded_when_git_is_told_to() {
    check(
        Case::Blind,
        &[
            ("TIDE.log", "tide.LOG", true),
            ("*.LOG", "tide.log", true),
            ("Gauge/*.log", "gAUGE/x.LOG", true),
            ("[a-c]x", "BX", true),
            ("[A-C]x", "bx", true),
            // As git does it: a single member and an escaped letter are not folded.
            ("[A]x", "ax", false),
            ("\\Ax", "ax", false),
            ("[[:upper:]]x", "ax", true),
        ],
    );
    check(
        Case::Sensitive,
        &[
            ("TIDE.log", "tide.log", false),
            ("[[:upper:]]x", "ax", false),
        ],
    );
}

#[test]
fn lines_lose_what_git_drops_from_them() {
    let file = b"\xef\xbb\xbfone\r\n\n# note\n \\#x  \ntwo \\  \n!three/ \nfo\0ur\nlast ";
    let found: Vec<(u32, String)> = rules(file)
        .iter()
        .map(|r| (r.line, r.text.to_string()))
        .collect();
    let expected = [
        (1, "one"),
        (4, " \\#x"),
        (5, "two \\ "),
        (6, "!three/"),
        (7, "fo"),
        (8, "last"),
    ];
    assert_eq!(found, expected.map(|(line, text)| (line, text.to_owned())));
    let three = &rules(file)[3];
    assert!(three.negated && three.folders_only && !three.anchored);
    assert_eq!(lines(b"\n\na\n", Case::Sensitive).count(), 3);
    assert_eq!(lines(b"", Case::Sensitive).count(), 0);
}

#[test]
fn many_stars_do_not_take_exponential_time() {
    let rule = Rule::parse(b"*a*a*a*a*a*a*a*a*a*a*b", 1, Case::Sensitive);
    assert!(!rule.matches(BString::from(vec![b'a'; 50_000]).as_bstr(), false));
    let deep = Rule::parse(b"**/*a*a*a/**/*a*a*a*b", 1, Case::Sensitive);
    assert!(!deep.matches(
        BString::from("aaaaaaaa/".repeat(4_000).trim_end_matches('/')).as_bstr(),
        false
    ));
}

#[test]
fn a_quoted_name_matches_itself() {
    for name in [
        "#x",
        "!x",
        "a*b",
        "a?b",
        "[x]",
        "back\\slash",
        "end ",
        " ",
        "plain",
    ] {
        let rules = rules(&quote(name.into()));
        assert_eq!(rules.len(), 1, "{name:?}");
        assert!(rules[0].matches(name.into(), false), "{name:?}");
        assert!(
            !rules[0].matches(format!("{name}x").as_bytes().as_bstr(), false),
            "{name:?}"
        );
    }
}
