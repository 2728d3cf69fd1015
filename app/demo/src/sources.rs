//! The demo's sources: one row for each file under `tidewatch/`.

use super::Layout;
use anyhow::Result;

macro_rules! files {
    ($($path:literal),* $(,)?) => {
        &[$(($path, include_bytes!(concat!("../tidewatch/", $path)))),*]
    };
}

const FILES: &[(&str, &[u8])] = files![
    ".gitignore",
    "README.md",
    "analysis/notebooks/spring.ipynb",
    "analysis/pyproject.toml",
    "analysis/tests/test_harmonics.py",
    "analysis/tides/__init__.py",
    "analysis/tides/harmonics.py",
    "dashboard/index.html",
    "dashboard/package-lock.json",
    "dashboard/package.json",
    "dashboard/src/gauge.ts",
    "dashboard/src/main.ts",
    "dashboard/tsconfig.json",
    "dashboard/vite.config.ts",
    "exhibit/Lagoon/Assets/Scenes.meta",
    "exhibit/Lagoon/Assets/Scenes/Estuary.unity",
    "exhibit/Lagoon/Assets/Scenes/Estuary.unity.meta",
    "exhibit/Lagoon/Assets/Scripts.meta",
    "exhibit/Lagoon/Assets/Scripts/TideWave.cs",
    "exhibit/Lagoon/Assets/Scripts/TideWave.cs.meta",
    "exhibit/Lagoon/Packages/manifest.json",
    "exhibit/Lagoon/ProjectSettings/ProjectVersion.txt",
    "firmware/CMakeLists.txt",
    "firmware/include/pressure.h",
    "firmware/src/main.c",
    "firmware/src/pressure.c",
    "gateway/.env.example",
    "gateway/Cargo.lock",
    "gateway/src/main.rs",
    "gateway/src/reading.rs",
    "kiosk/build.gradle",
    "kiosk/gradle/wrapper/gradle-wrapper.properties",
    "kiosk/gradlew",
    "kiosk/settings.gradle",
    "kiosk/src/main/java/org/tidewatch/kiosk/Kiosk.java",
    "redshank.toml",
    "soundings/README.md",
];

/// By another name among our own files: what has a manifest is a package of its own to Cargo, and
/// wouldn't be published with ours.
const MANIFEST: (&str, &[u8]) = (
    "gateway/Cargo.toml",
    include_bytes!("../tidewatch/gateway/manifest.toml"),
);

pub(super) fn lay_out(layout: &mut Layout) -> Result<()> {
    FILES
        .iter()
        .chain([&MANIFEST])
        .try_for_each(|(path, contents)| layout.put(path, contents))
}
