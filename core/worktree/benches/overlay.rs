//! How long the snapshot takes to answer again when one file of rules changes: 200,000 files in
//! 800 folders under 300 rules, without another walk.

#![allow(
    clippy::expect_used,
    reason = "a benchmark that can't go on has failed"
)]

use divan::Bencher;
use redshank_worktree::effect::Effect;
use redshank_worktree::{Overlay, Snapshot, Verdicts};
use std::fmt::Write;
use std::fs;
use std::path::Path;

const FOLDERS: usize = 800;
const FILES: usize = 250;

fn main() {
    divan::main();
}

/// Rules as people have them: names, extensions, folders, and some that are anchored.
fn rules() -> String {
    let mut rules = String::new();
    for number in 0..75 {
        let _ = write!(
            rules,
            "*.k{number}\ncache-{number}/\n/out/{number}/\n!keep-{number}.*\n"
        );
    }
    rules
}

fn lay_out(top: &Path) {
    for folder in 0..FOLDERS {
        let folder = top.join(format!("station-{}/part-{folder}", folder % 40));
        fs::create_dir_all(&folder).expect("a folder");
        for file in 0..FILES {
            let extension = ["rs", "txt", "k7", "csv"][file % 4];
            fs::write(folder.join(format!("level-{file}.{extension}")), "").expect("a file");
        }
    }
    fs::write(top.join(".gitignore"), rules()).expect("the rules");
}

/// Asks about every file again, with one rule more at the top.
#[divan::bench(sample_count = 20)]
fn one_rule_more(bencher: Bencher) {
    on_ground(bencher, |snapshot, overlay| {
        let tree = snapshot.tree().expect("the tree");
        let verdicts = Verdicts::new(snapshot, overlay).expect("the rules");
        verdicts.states(tree).expect("the verdicts").len()
    });
}

/// The same, and what it does to the next commit.
#[divan::bench(sample_count = 20)]
fn its_effect(bencher: Bencher) {
    on_ground(bencher, |snapshot, overlay| {
        let tree = snapshot.tree().expect("the tree");
        let effect = Effect::compute(snapshot, tree, overlay, &[]).expect("the effect");
        effect.kept_out.len()
    });
}

fn on_ground(bencher: Bencher, ask: impl Fn(&Snapshot, Overlay) -> usize + Sync) {
    let ground = tempfile::tempdir().expect("a folder");
    lay_out(ground.path());
    let snapshot = Snapshot::open(ground.path()).expect("a working tree");
    assert!(snapshot.tree().expect("the tree").entries.len() > 150_000);
    let changed = format!("{}*.csv\n", rules()).into_bytes();
    bencher
        .with_inputs(|| Overlay::from([(".gitignore".into(), changed.clone())]))
        .bench_values(|overlay| ask(&snapshot, overlay));
}
