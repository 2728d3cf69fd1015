//! Any bytes as `redshank.toml`: what could be read can be read again after an edit.
#![no_main]

use libfuzzer_sys::fuzz_target;
use redshank_worktree::settings::{Acceptance, Settings, SettingsFile};
use std::path::Path;

fuzz_target!(|text: &str| {
    let path = Path::new("redshank.toml");
    let Ok(settings) = SettingsFile::parse(Some(text.to_owned()), path.to_owned()) else {
        return;
    };
    settings.reserves("a/b.bin".into());
    let acceptance = Acceptance {
        finding: "x".into(),
        rule: "a/b".into(),
        path: "c".into(),
        because: "d".into(),
        until: None,
    };
    let edits = [
        settings.with_choices(&settings.draft),
        settings.with_acceptances(&[acceptance]),
        settings.with_expectations(&settings.expect),
    ];
    for written in edits.into_iter().flatten() {
        assert!(Settings::parse(&written, path).is_ok(), "{written}");
    }
});
