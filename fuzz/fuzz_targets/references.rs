//! Any text as any manifest.
#![no_main]

use libfuzzer_sys::fuzz_target;

const FILES: &[&str] = &[
    "Cargo.toml",
    "package.json",
    "pyproject.toml",
    "tsconfig.json",
    "go.work",
    "go.mod",
    "CMakeLists.txt",
    "meson.build",
    "pom.xml",
    "settings.gradle",
    "Makefile",
    "requirements.txt",
    "level.c",
    "run.sh",
    "Dockerfile",
];

fuzz_target!(|input: (u8, &str)| {
    let name = FILES[usize::from(input.0) % FILES.len()];
    let named =
        redshank_changes::rehearse::references_in(format!("a/{name}").as_str().into(), input.1);
    for (path, _) in named.unwrap() {
        assert!(
            !path.starts_with(b"/") && !path.split(|byte| *byte == b'/').any(|part| part == b".."),
            "{path}"
        );
    }
});
