//! What a drafted file looks like.

use crate::ground::Ground;
use redshank_rules::RepoPath;
use redshank_templates::{Collection, DraftOptions, TemplateRequest};
use redshank_worktree::Snapshot;
use redshank_worktree::settings::Explain;

fn drafted(ground: &Ground, explain: Explain) -> String {
    let options = DraftOptions {
        explain,
        ..DraftOptions::default()
    };
    let draft = ground.draft_with(&Collection::built_in().unwrap(), &[], options);
    let after = draft
        .files
        .get(RepoPath::top())
        .map(|file| file.after.clone());
    String::from_utf8(after.unwrap_or_default()).unwrap()
}

fn comments(text: &str) -> usize {
    text.lines().filter(|line| line.starts_with('#')).count()
}

#[test]
fn a_repository_of_many_packages_needs_no_longer_a_file_than_one_of_three() {
    let lines = |count: usize| {
        let ground = Ground::new(&[("package.json", "{\"workspaces\": [\"packages/*\"]}")]);
        for nth in 0..count {
            ground.write(&format!("packages/p{nth}/package.json"), "{}");
            ground.write(
                &format!("packages/p{nth}/tsup.config.ts"),
                "export default {}",
            );
        }
        let text = drafted(&ground, Explain::Brief);
        assert!(text.contains("/packages/*/dist/"), "{text}");
        text.lines().count()
    };
    assert_eq!(lines(3), lines(60));
}

#[test]
fn at_most_a_third_of_the_lines_are_comments_unless_all_is_to_be_explained() {
    let collection = Collection::built_in().unwrap();
    let ground = Ground::new(&[("north/x", "")]);
    let snapshot = Snapshot::open(&ground.top).unwrap();
    for template in collection.iter() {
        let requests = TemplateRequest::find(
            &snapshot,
            &collection,
            &template.name,
            Some("north/".into()),
        );
        let draft = ground.draft_with(&collection, &requests.unwrap(), DraftOptions::default());
        let Some(file) = draft.files.get(RepoPath::top()) else {
            continue;
        };
        let text = String::from_utf8(file.after.clone()).unwrap();
        let (comments, all) = (comments(&text), text.lines().count());
        let marks = text.matches("# redshank: ").count();
        assert!(
            comments <= marks || comments * 3 <= all,
            "{}: {comments} of {all}\n{text}",
            template.name
        );
        assert!(text.lines().all(|line| line.len() < 120), "{text}");
    }
    let ground = Ground::new(&[("Cargo.toml", "[package]"), ("pyproject.toml", "")]);
    let [full, brief, none] =
        [Explain::Full, Explain::Brief, Explain::None].map(|explain| drafted(&ground, explain));
    let rules = |text: &str| {
        let mut rules: Vec<String> = text
            .lines()
            .filter(|line| !line.starts_with('#'))
            .map(str::to_owned)
            .collect();
        rules.sort();
        rules
    };
    assert_eq!(rules(&full), rules(&brief));
    assert_eq!(rules(&full), rules(&none));
    assert!(
        full.contains("# Cargo's build folder")
            && full.contains("; made again by: cargo build\n/target/"),
        "{full}"
    );
    assert!(brief.contains("# dependencies"), "{brief}");
    assert_eq!(
        comments(&none),
        2 * none.matches("# redshank: begin").count()
    );
}

/// That one rule happens to match all that is in a folder today doesn't make the folder's own
/// rule needless.
#[test]
fn a_rule_is_covered_only_by_one_that_says_as_much() {
    let ground = Ground::new(&[
        ("ProjectSettings/ProjectVersion.txt", ""),
        ("Logs/Editor.log", ""),
        (".gitignore", "*.log\n/[Ll]ibrary/\n"),
    ]);
    let text = ground.takes(&ground.draft());
    assert!(text.contains("\n/[Ll]ogs/\n"), "{text}");
    assert_eq!(text.matches("/[Ll]ibrary/").count(), 1, "{text}");
}

#[test]
fn an_exception_stays_behind_what_it_is_an_exception_from_under_whatever_heading() {
    let template = r#"
name = "gauge"
title = "tide gauges"
revision = 1
group = "language"
[[recognise]]
file = "gauge.ini"
[[rule]]
pattern = "/levels/*"
heading = "logs"
reason = "levels of today"
[[rule]]
pattern = "/pumps/"
heading = "dependencies"
reason = "pumps that were fetched"
[[rule]]
pattern = "!/levels/first.csv"
reason = "the first level"
"#;
    let ground = Ground::new(&[
        ("gauge.ini", ""),
        (".redshank/templates/gauge.toml", template),
    ]);
    let collection = Collection::load(&Snapshot::open(&ground.top).unwrap()).unwrap();
    let draft = ground.draft_with(&collection, &[], DraftOptions::default());
    ground.takes(&draft);
    assert!(ground.ignored_by_git("levels/second.csv"));
    assert!(!ground.ignored_by_git("levels/first.csv"));
}
