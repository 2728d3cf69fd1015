//! What rules would ignore is looked at: work among it stays.

use crate::ground::Ground;
use proptest::prelude::*;
use redshank_git::Git;
use std::collections::BTreeSet;

/// What it is about, the files, and of these what must stay and what must be ignored after a draft.
type Case = (
    &'static str,
    &'static [(&'static str, &'static str)],
    &'static [&'static str],
    &'static [&'static str],
);

const CASES: &[Case] = &[
    (
        "an app by the name of a folder for uploads",
        &[
            ("north/manage.py", "import django"),
            ("north/media/models.py", "class Picture: pass\n"),
            (
                "north/media/migrations/0001_initial.py",
                "operations = []\n",
            ),
            ("north/db.sqlite3", ""),
        ],
        &[
            "north/media/models.py",
            "north/media/migrations/0001_initial.py",
        ],
        &["north/db.sqlite3"],
    ),
    (
        "a folder for uploads",
        &[
            ("manage.py", "import django"),
            ("media/photos/mudflat.jpg", "JFIF"),
        ],
        &["manage.py"],
        &["media/photos/mudflat.jpg"],
    ),
    (
        "an in-source build",
        &[
            ("CMakeLists.txt", "project(gauge C)"),
            ("CMakeCache.txt", "# This is the CMakeCache file.\n"),
            ("CMakeFiles/gauge.dir/main.c.o", ""),
            ("cmake_install.cmake", "# Install script\n"),
            ("Makefile", "# CMAKE generated file: DO NOT EDIT!\n"),
            ("main.c", "int main(void) { return 0; }\n"),
        ],
        &["CMakeLists.txt", "main.c"],
        &[
            "CMakeCache.txt",
            "CMakeFiles/gauge.dir/main.c.o",
            "cmake_install.cmake",
            "Makefile",
        ],
    ),
    (
        "an in-source build, one folder down",
        &[
            ("north/CMakeLists.txt", "project(gauge C)"),
            ("north/CMakeCache.txt", "# This is the CMakeCache file.\n"),
            ("north/CMakeFiles/gauge.dir/main.c.o", ""),
            ("north/main.c", "int main(void) { return 0; }\n"),
        ],
        &["north/CMakeLists.txt", "north/main.c"],
        &[
            "north/CMakeCache.txt",
            "north/CMakeFiles/gauge.dir/main.c.o",
        ],
    ),
    (
        "a virtual environment in the project's own folder",
        &[
            ("north/pyproject.toml", ""),
            ("north/tides.py", "import math\n"),
            ("north/pyvenv.cfg", "home = /usr/bin\n"),
            (
                "north/bin/activate",
                "# This file must be used with source\n",
            ),
            ("north/bin/level.sh", "exit 0\n"),
            ("north/lib/python3.11/site-packages/x.py", ""),
        ],
        &[
            "north/pyproject.toml",
            "north/tides.py",
            "north/bin/level.sh",
        ],
        &[
            "north/pyvenv.cfg",
            "north/bin/activate",
            "north/lib/python3.11/site-packages/x.py",
        ],
    ),
    (
        "a vendored sub-project and a fetched one",
        &[
            ("meson.build", "project('gauge', 'c')"),
            ("subprojects/tidelib/meson.build", "project('tidelib', 'c')"),
            (
                "subprojects/tidelib/tide.c",
                "int tide(void) { return 0; }\n",
            ),
            (
                "subprojects/zlib.wrap",
                "[wrap-git]\nurl = https://tide.example.org/zlib\n",
            ),
            ("subprojects/zlib/zlib.c", "int z;\n"),
        ],
        &[
            "subprojects/tidelib/meson.build",
            "subprojects/tidelib/tide.c",
            "subprojects/zlib.wrap",
        ],
        &["subprojects/zlib/zlib.c"],
    ),
    (
        "libraries that nobody builds here, and built ones",
        &[
            ("Main.java", "class Main {}"),
            ("lib/tidecalc.jar", "PK"),
            ("kiosk.jar", "PK"),
            ("Main.class", ""),
        ],
        &["lib/tidecalc.jar", "Main.java"],
        &["kiosk.jar", "Main.class"],
    ),
    (
        "logs and databases that tests read",
        &[
            ("uplink.log", "up"),
            ("tests/data/storm.log", "surge"),
            ("assets/seed.sqlite3", ""),
            ("tides.sqlite3", ""),
        ],
        &["tests/data/storm.log", "assets/seed.sqlite3"],
        &["uplink.log", "tides.sqlite3"],
    ),
    (
        "dependencies in a fixture, and installed ones",
        &[
            ("package.json", "{}"),
            ("node_modules/.package-lock.json", "{}"),
            ("node_modules/left/index.js", ""),
            ("test/fixtures/app/node_modules/left/index.js", ""),
        ],
        &["test/fixtures/app/node_modules/left/index.js"],
        &["node_modules/left/index.js"],
    ),
    (
        "a vendored crate, whose checksums name every file",
        &[
            ("Cargo.toml", "[package]"),
            ("README.md.orig", ""),
            ("vendor/left/.cargo-checksum.json", "{}"),
            ("vendor/left/Cargo.toml.orig", ""),
            ("vendor/left/src/lib.rs", ""),
        ],
        &["vendor/left/Cargo.toml.orig"],
        &[],
    ),
    (
        "the environment of a mode, with and without something secret",
        &[
            ("web/package.json", "{}"),
            ("web/.env", "TOKEN=abc"),
            (
                "web/.env.production",
                "VITE_API=https://tides.example/api\nRETRIES=3\n",
            ),
            ("web/.env.staging", "DATABASE_PASSWORD=ebb-and-flow\n"),
        ],
        &["web/.env.production"],
        &["web/.env", "web/.env.staging"],
    ),
    (
        "a folder kept for logs",
        &[
            ("dbt_project.yml", "name: tides"),
            ("logs/.gitkeep", ""),
            ("logs/dbt.log", "ran"),
        ],
        &["logs/.gitkeep"],
        &["logs/dbt.log"],
    ),
    (
        "what a person re-includes",
        &[
            (
                ".gitignore",
                "!keep.log\n!.idea/dictionaries/\n!/out/shared.js\n",
            ),
            ("keep.log", ""),
            ("other.log", ""),
            (".idea/workspace.xml", "<project/>"),
            (".idea/dictionaries/nia.xml", "<x/>"),
            ("next.config.js", ""),
            ("out/shared.js", ""),
            ("out/_next/x.js", ""),
        ],
        &["keep.log", ".idea/dictionaries/nia.xml", "out/shared.js"],
        &["other.log", ".idea/workspace.xml", "out/_next/x.js"],
    ),
    (
        "scripts in a folder for built programs",
        &[
            ("go.mod", "module example.org/gauge\n"),
            ("bin/deploy", "#!/bin/sh\nexit 0\n"),
        ],
        &["bin/deploy"],
        &[],
    ),
    (
        "the same source in folders of one name, which one rule reaches",
        &[
            ("a/ProjectSettings/ProjectVersion.txt", ""),
            ("b/ProjectSettings/ProjectVersion.txt", ""),
            ("c/ProjectSettings/ProjectVersion.txt", ""),
            ("a/Library/x", ""),
            ("b/Library/x", ""),
            ("c/Library/x", ""),
            ("a/Assets/Library/Lamp.cs", "class Lamp {}"),
            ("b/Assets/Library/Lamp.cs", "class Lamp {}"),
            ("c/Assets/Library/Empty.cs", ""),
            ("b/Assets/Library/Empty.cs", ""),
        ],
        &[
            "a/Assets/Library/Lamp.cs",
            "b/Assets/Library/Lamp.cs",
            "c/Assets/Library/Empty.cs",
            "b/Assets/Library/Empty.cs",
        ],
        &["a/Library/x", "b/Library/x", "c/Library/x"],
    ),
    (
        "a project in a folder that a tool hides, and one in a folder that people share",
        &[
            ("package.json", "{\"name\": \"hub\"}"),
            (".tidework/package.json", "{\"type\": \"commonjs\"}"),
            (".tidework/a.pyc", "\0"),
            (".tidework/b.pyc", "\0"),
            (".tidework/c.pyc", "\0"),
            (".vscode/settings.json", "{}\n"),
        ],
        &["package.json", ".vscode/settings.json"],
        &[".tidework/package.json", ".tidework/a.pyc"],
    ),
    (
        "what a build script writes is below its own folder of output, a name alone is none here",
        &[
            ("Cargo.toml", "[package]\nname = \"hub\"\n"),
            (
                "build.rs",
                "fn main() {\n    let out = std::env::var(\"OUT_DIR\").unwrap();\n    std::fs::File::create(std::path::Path::new(&out).join(\"memory.x\"));\n}\n",
            ),
            ("memory.x", "MEMORY { FLASH : ORIGIN = 0 }\n"),
        ],
        &["memory.x", "build.rs"],
        &[],
    ),
    (
        "what a script names by a variable, packs and writes",
        &[
            (
                "build.sh",
                "#!/bin/sh\nOUT=printed\ntides > $OUT/levels.csv 2> levels.err\ntar czf hub.tar.gz printed\n",
            ),
            ("printed/levels.csv", "1,2\n"),
            ("levels.err", "no water\n"),
            ("hub.tar.gz", "\u{1f}\u{8b}\u{8}"),
            ("stations.csv", "hub,1\n"),
        ],
        &["build.sh", "stations.csv"],
        &["printed/levels.csv", "levels.err", "hub.tar.gz"],
    ),
    (
        "what a test writes elsewhere is none of what is here",
        &[
            ("pyproject.toml", "[project]\nname = 'hub'\n"),
            (
                "tests/test_levels.py",
                "def test(tmp_path):\n    open('levels.json', 'w').write('{}')\n",
            ),
            ("levels.json", "{\"high\": 7}\n"),
        ],
        &["levels.json", "tests/test_levels.py"],
        &[],
    ),
    (
        "minified by hand beside its source, and by a build that a map names",
        &[
            ("index.html", "<script src=\"tide.min.js\"></script>\n"),
            ("tide.js", "let level = 7;\n"),
            ("tide.min.js", "let l=7\n"),
            ("styles/main.css", "h1{color:navy}\n"),
            (
                "styles/main.css.map",
                "{\"version\":3,\"sources\":[\"../theme/main.scss\"],\"mappings\":\"\"}\n",
            ),
            ("theme/main.scss", "h1 { color: navy; }\n"),
        ],
        &["tide.js", "tide.min.js", "theme/main.scss", "index.html"],
        &["styles/main.css", "styles/main.css.map"],
    ),
    (
        "sources in D beside those in C",
        &[
            ("Makefile", "hub: hub.o\n\tcc -o hub hub.o\n"),
            ("hub.c", "int main(void) { return 0; }\n"),
            ("level.c", "int level;\n"),
            ("level.d", "module level;\nint high() { return 7; }\n"),
            ("hub.d", "hub.o: hub.c\n"),
        ],
        &["hub.c", "level.c", "level.d"],
        &["hub.d"],
    ),
    (
        "a small project's dependencies released by others",
        &[
            ("README.md", "# Hub\n"),
            (
                "docbook-tides-1.76.1/RELEASE.html",
                "<html><body>News</body></html>\n",
            ),
            ("docbook-tides-1.76.1/tides.xsl", "<x/>\n"),
        ],
        &[
            "docbook-tides-1.76.1/RELEASE.html",
            "docbook-tides-1.76.1/tides.xsl",
        ],
        &[],
    ),
];

#[test]
fn work_stays_and_what_tools_make_goes() {
    for (what, files, stay, go) in CASES {
        let ground = Ground::new(files);
        let text = ground.takes(&ground.draft());
        for path in *stay {
            assert!(
                !ground.ignored_by_git(path),
                "{what}: {path} must stay in\n{text}"
            );
        }
        for path in *go {
            assert!(
                ground.ignored_by_git(path),
                "{what}: {path} must go in\n{text}"
            );
        }
        assert_eq!(
            ground.takes(&ground.draft()),
            text,
            "{what}: a second draft changes nothing"
        );
    }
}

/// Manifests, and things that tools make or people write under the same names.
const PIECES: &[(&str, &str)] = &[
    ("Cargo.toml", "[package]"),
    ("package.json", "{}"),
    ("pyproject.toml", ""),
    ("manage.py", "django"),
    ("CMakeLists.txt", "project(x C)"),
    ("main.c", "int x;"),
    ("build/steps.c", "int steps;"),
    ("build/x.o", ""),
    ("dist/app.js", "x"),
    ("media/models.py", "x = 1"),
    ("lib/x.so", ""),
    ("logs/a.log", ""),
    ("tests/data/b.log", ""),
    ("target/debug/x", ""),
    ("node_modules/a/package.json", "{}"),
    (".env.production", "A=1"),
    ("CMakeCache.txt", ""),
    ("out/page.html", ""),
    ("a.log", ""),
    ("x.sqlite3", ""),
];

const OWN: &[&str] = &[
    "!*.log",
    "*.log",
    "!/build/",
    "/build/*",
    "!/build/steps.c",
    "!media",
    "!a.log",
    "dist",
    "!dist/app.js",
    "!.env.production",
];

proptest! {
    #![proptest_config(ProptestConfig {
        cases: ProptestConfig::default().cases / 4,
        failure_persistence: None,
        ..ProptestConfig::default()
    })]

    #[test]
    fn no_draft_takes_away_what_is_tracked_what_a_person_lets_in_or_a_manifest(
        pieces in prop::collection::btree_set((0..3_usize, 0..PIECES.len(), any::<bool>()), 1..18),
        own in prop::collection::vec(prop::sample::select(OWN), 0..4),
    ) {
        let ground = Ground::new(&[]);
        let mut tracked = Vec::new();
        for (place, nth, is_tracked) in &pieces {
            let path = format!("{}{}", ["", "north/", "a/b/"][*place], PIECES[*nth].0);
            ground.write(&path, PIECES[*nth].1);
            if *is_tracked && !path.contains("node_modules") {
                tracked.push(path);
            }
        }
        ground.write(".gitignore", &own.iter().map(|line| format!("{line}\n")).collect::<String>());
        for path in &tracked {
            Git::at(&ground.top).args(["add", "--force", "--", path]).output().unwrap();
        }
        let rule_of = |path: &str| {
            let asked = Git::at(&ground.top).args(["check-ignore", "--no-index", "--verbose", "--", path]).output();
            asked.map(|said| said.split(|byte| *byte == b'\t').next().unwrap_or_default().to_vec()).unwrap_or_default()
        };
        let all: BTreeSet<String> = pieces.iter().map(|(place, nth, _)| format!("{}{}", ["", "north/", "a/b/"][*place], PIECES[*nth].0)).collect();
        let is_let_in = |path: &String| rule_of(path).splitn(3, |byte| *byte == b':').nth(2).is_some_and(|rule| rule.starts_with(b"!"));
        let let_in: Vec<&String> = all.iter().filter(|path| is_let_in(path)).collect();
        let was_open: Vec<&String> = all.iter().filter(|path| !ground.ignored_by_git(path)).collect();
        let spoken_of = ground.spoken_of(&tracked);
        let text = ground.takes(&ground.draft());
        for path in let_in {
            prop_assert!(!ground.ignored_by_git(path), "{path} was let in, and is ignored by\n{text}");
        }
        let manifests = ["Cargo.toml", "package.json", "pyproject.toml", "manage.py", "CMakeLists.txt"];
        for path in was_open {
            let is_manifest = manifests.iter().any(|name| path.ends_with(name)) && !path.contains("node_modules");
            prop_assert!(!is_manifest || !ground.ignored_by_git(path), "{path} is a manifest, and is ignored by\n{text}");
            // What a template covers was added by mistake, and is a finding; the name of some tells
            // that a tool made it, wherever it is.
            let is_made = ["CMakeCache.txt", ".o", "x.sqlite3", ".log", "target/debug/x"].iter().any(|end| path.ends_with(end));
            let is_work = tracked.contains(path) && !is_made && !spoken_of.contains(path);
            prop_assert!(!is_work || !ground.ignored_by_git(path), "{path} is tracked, and matched by\n{text}");
        }
    }
}
