//! Lists of rules: what the index answers is what trying every rule would.

use bstr::{BStr, BString, ByteSlice};
use proptest::prelude::*;
use redshank_rules::ignore_file::{NewRule, Section, labels, with_section};
use redshank_rules::{Case, Rule, exactly, fit};
use redshank_rules::{Chain, NearReason, RuleList, Source, near_misses};
use std::sync::Arc;

fn list(base: &str, rules: &[String], case: Case) -> Arc<RuleList> {
    Arc::new(RuleList::parse(
        Source::of_folder(base.into()),
        rules.join("\n").as_bytes(),
        case,
    ))
}

fn rule() -> impl Strategy<Value = String> {
    let part = prop::sample::select(vec![
        "a",
        "b",
        "ab",
        "*.o",
        "a*",
        "*b",
        "**",
        "?",
        "[ab]",
        "x.o",
        "A",
        "*a*",
        "a*b",
        "ba",
        "*",
        "lib*.so.[0-9]",
    ]);
    let ends = prop::sample::select(vec!["", "", "/"]);
    (
        any::<bool>(),
        prop::bool::weighted(0.2),
        prop::collection::vec(part, 1..4),
        ends,
    )
        .prop_map(|(rooted, negated, parts, end)| {
            format!(
                "{}{}{}{end}",
                if negated { "!" } else { "" },
                if rooted { "/" } else { "" },
                parts.join("/")
            )
        })
}

fn path() -> impl Strategy<Value = String> {
    let part = prop::sample::select(vec![
        "a",
        "b",
        "ab",
        "x.o",
        "A",
        "ba",
        "bab",
        "libx.so.1",
        "c",
    ]);
    prop::collection::vec(part, 1..5).prop_map(|parts| parts.join("/"))
}

proptest! {
    #![proptest_config(ProptestConfig {
        cases: 6 * ProptestConfig::default().cases,
        failure_persistence: None,
        ..ProptestConfig::default()
    })]

    #[test]
    fn the_index_finds_the_last_match(
        rules in prop::collection::vec(rule(), 0..40),
        path in path(),
        folder: bool,
        blind: bool,
    ) {
        let case = if blind { Case::Blind } else { Case::Sensitive };
        let chain = Chain::new([list("", &rules, case)]);
        let found = chain.ruling(path.as_bytes().as_bstr(), &|| folder).map(|ruling| ruling.rule().line);
        let plainly = (1..rules.len() as u32 + 1).zip(&rules).rev().find(|(line, text)| {
            Rule::parse(text.as_bytes(), *line, case).matches(path.as_bytes().as_bstr(), folder)
        });
        prop_assert_eq!(found, plainly.map(|(line, _)| line));
    }

    #[test]
    fn a_fitted_rule_means_below_its_folder_what_it_meant_at_the_top(rule in rule(), path in path(), folder: bool) {
        for place in ["exhibit/", "a/b/", "odd [x]*/#y/", "back\\slash/end /"] {
            let at_top = Chain::new([list("", std::slice::from_ref(&rule), Case::Sensitive)]);
            let fitted = fit(&rule, place.into()).to_string();
            let at_place = Chain::new([list("", std::slice::from_ref(&fitted), Case::Sensitive)]);
            let deeper = format!("{place}{path}");
            let says = |chain: &Chain, path: &str| chain.ruling(path.as_bytes().as_bstr(), &|| folder).is_some();
            prop_assert_eq!(says(&at_top, &path), says(&at_place, &deeper), "{} for {} on {}", fitted, rule, deeper);
            prop_assert!(!says(&at_place, &path) || path.starts_with(place), "{} reaches {}", fitted, path);
        }
    }

    #[test]
    fn the_rule_for_exactly_a_path_matches_it_and_no_other(path in path(), other in path()) {
        let chain = Chain::new([list("", &[exactly(path.as_bytes().as_bstr()).to_string()], Case::Sensitive)]);
        prop_assert_eq!(chain.ruling(other.as_bytes().as_bstr(), &|| false).is_some(), path == other);
    }

    #[test]
    fn adding_a_section_changes_no_line(
        before in "([a-z#!* ]{0,6}(\r?\n)){0,6}[a-z]{0,3}",
        pattern in "[a-z]{1,8}",
        more in "[a-z]{1,8}",
    ) {
        let section = |pattern: &str| Section::new("gauge".into(), [NewRule { pattern: pattern.into(), reason: "why".into(), remake: None }]);
        let once = with_section(before.as_bytes(), &section(&pattern));
        prop_assert!(once.starts_with(before.as_bytes()));
        prop_assert_eq!(labels(&once), ["gauge"]);
        let twice = with_section(&once, &section(&more));
        prop_assert_eq!(labels(&twice), ["gauge"], "the section at the end grows");
        let lines = |text: &[u8]| text.lines().map(BString::from).collect::<Vec<_>>();
        let (old, new) = (lines(&once), lines(&twice));
        prop_assert_eq!(&new[..old.len() - 1], &old[..old.len() - 1]);
        prop_assert!(new.contains(&BString::from(more)));
    }
}

#[test]
fn a_nearer_list_wins_and_a_shut_folder_stays_shut() {
    let chain = Chain::new([list("", &["*.log".into(), "/out/".into()], Case::Sensitive)]);
    let chain = chain.with(list(
        "gauge/",
        &["!keep.log".into(), "/own".into()],
        Case::Sensitive,
    ));
    let excludes = |path: &str| {
        chain
            .ignored_by(BStr::new(path), false)
            .map(|ruling| ruling.rule().text.to_string())
    };
    assert_eq!(excludes("gauge/keep.log"), None);
    assert_eq!(excludes("keep.log").as_deref(), Some("*.log"));
    assert_eq!(excludes("gauge/own").as_deref(), Some("/own"));
    assert_eq!(excludes("gauge/x/own"), None);
    assert_eq!(excludes("out/deep/keep.c").as_deref(), Some("/out/"));
}

#[test]
fn near_misses_say_what_would_match() {
    for (rule, path, because, corrected) in [
        (
            "/Library/",
            "exhibit/Library/x",
            NearReason::Anchored,
            "Library/",
        ),
        (
            "out/build",
            "a/out/build",
            NearReason::Anchored,
            "**/out/build",
        ),
        ("*.LOG", "x.log", NearReason::LetterCase, "*.LOG"),
        ("notes/", "notes", NearReason::FoldersOnly, "notes"),
        (
            "*.tmp # scratch",
            "x.tmp",
            NearReason::CommentBehind,
            "*.tmp",
        ),
        (
            "out\\cache",
            "out/cache",
            NearReason::BackSlashes,
            "out/cache",
        ),
        ("./out", "out", NearReason::DotSlash, "/out"),
        ("*.bak\t", "x.bak", NearReason::SpaceAtEnd, "*.bak"),
        ("  *.bak", "x.bak", NearReason::SpaceAtStart, "*.bak"),
    ] {
        let chain = Chain::new([list("", &[rule.to_owned()], Case::Sensitive)]);
        assert!(
            chain.ignored_by(path.into(), false).is_none(),
            "{rule} does miss {path}"
        );
        let misses = near_misses(&chain, path.into());
        assert_eq!(misses.len(), 1, "{rule} on {path}");
        assert_eq!(misses[0].because, because, "{rule}");
        assert_eq!(misses[0].corrected, corrected, "{rule}");
    }
    let chain = Chain::new([list("", &["*.log".into(), "!x/".into()], Case::Sensitive)]);
    assert!(near_misses(&chain, "level.c".into()).is_empty());
}
