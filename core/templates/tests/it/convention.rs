//! Which of two ways a repository follows already.

use crate::ground::Ground;
use redshank_git::Git;
use redshank_templates::{Collection, ShownBy, conventions, recognise};
use redshank_worktree::Snapshot;

fn followed(ground: &Ground) -> Vec<(String, bool, ShownBy)> {
    let snapshot = Snapshot::open(&ground.top).unwrap();
    let collection = Collection::built_in().unwrap();
    let survey = recognise(&snapshot, snapshot.tree().unwrap(), &collection);
    let found = conventions(&snapshot, &survey.projects).unwrap();
    let named = found.into_iter().map(|one| {
        let name = format!("{}/{}", one.template, one.variant.name);
        (name, one.is_variant, one.shown_by)
    });
    named.collect()
}

#[test]
fn what_is_tracked_or_kept_out_tells_which_practice_is_followed() {
    let ground = Ground::new(&[
        ("go.mod", "module gauge"),
        (".idea/vcs.xml", "<x/>"),
        (".idea/codeStyles/Project.xml", "<x/>"),
        ("web/package.json", "{}"),
        ("web/.yarnrc.yml", ""),
        ("web/.yarn/cache/a.zip", "PK"),
    ]);
    assert_eq!(followed(&ground), []);
    ground.write(".gitignore", "/go.work*\n");
    Git::at(&ground.top)
        .args(["add", "--all"])
        .output()
        .unwrap();
    let is_tracked = |path: &str| ShownBy::Tracked(path.into());
    let mut found = followed(&ground);
    found.sort_by(|a, b| a.0.cmp(&b.0));
    let kept_out = ShownBy::KeptOut("/go.work".to_owned());
    let shared = is_tracked(".idea/vcs.xml");
    let wanted = [
        ("go/workspace-is-personal".to_owned(), true, kept_out),
        ("jetbrains/share-project".to_owned(), true, shared),
        (
            "yarn/zero-install".to_owned(),
            true,
            is_tracked("web/.yarn/cache/a.zip"),
        ),
    ];
    assert_eq!(found, wanted);
    ground.write(
        "redshank.toml",
        "[draft]\nvariants = [\"go/workspace-is-personal\"]\n",
    );
    assert!(
        followed(&ground)
            .iter()
            .all(|(name, ..)| !name.starts_with("go/"))
    );
}

#[test]
fn a_shared_project_is_told_from_shared_parts_of_it() {
    let ground = Ground::new(&[
        (".idea/vcs.xml", "<x/>"),
        (".idea/codeStyles/x.xml", "<x/>"),
    ]);
    let names = |ground: &Ground| -> Vec<(String, bool)> {
        let found = followed(ground).into_iter();
        found
            .map(|(name, is_variant, _)| (name, is_variant))
            .collect()
    };
    let add = |path: &str| {
        Git::at(&ground.top)
            .args(["add", "--force", path])
            .output()
            .unwrap();
    };
    // The template shares these anyway.
    add(".idea/codeStyles/x.xml");
    assert_eq!(
        names(&ground),
        [("jetbrains/share-nothing".to_owned(), false)]
    );
    add(".idea/vcs.xml");
    assert_eq!(
        names(&ground),
        [("jetbrains/share-project".to_owned(), true)]
    );
    // All of it ignored is no sharing.
    let other = Ground::new(&[(".idea/vcs.xml", "<x/>"), (".gitignore", ".idea/\n")]);
    assert!(!names(&other).contains(&("jetbrains/share-project".to_owned(), true)));
}
