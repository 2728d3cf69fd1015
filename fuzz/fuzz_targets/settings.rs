//! Any bytes as `redshank.toml`.
#![no_main]

use libfuzzer_sys::fuzz_target;

fuzz_target!(|text: &str| {
    let path = std::path::Path::new("redshank.toml");
    if let Ok(settings) = redshank_core::settings::Settings::parse(text, path) {
        settings.reserves("a/b.bin".into());
        let written = settings.draft.written_into(text, path).expect("what could be read can be written");
        assert!(redshank_core::settings::Settings::parse(&written, path).is_ok(), "{written}");
    }
});
