//! What each finder finds beside secrets, and what it leaves alone.

use crate::common::{Person, made_up};
use serde_json::{Value, json};
use std::os::unix::fs::symlink;

fn findings(person: &Person) -> Vec<Value> {
    let said = person.redshank(&["check", "--format", "json"]);
    assert!(said.code <= 1, "{}", said.err);
    said.json()["findings"].as_array().unwrap().clone()
}

/// `level rule path`, sorted.
fn rows(person: &Person) -> Vec<String> {
    let word = |finding: &Value, key: &str| finding[key].as_str().unwrap().to_owned();
    let row = |f: &Value| {
        format!(
            "{} {} {}",
            word(f, "level"),
            word(f, "rule"),
            word(f, "path")
        )
    };
    let mut rows: Vec<String> = findings(person).iter().map(row).collect();
    rows.sort();
    rows
}

#[test]
fn what_the_team_lists_as_reserved_is_an_error_only_in_a_public_repository() {
    let nia = Person::with_repository();
    nia.writes("exhibit/bought/boat.fbx", "1");
    nia.writes("exhibit/bought/deep/sail.png", "22");
    nia.writes("exhibit/own.png", "3");
    let listed =
        "[[reserved]]\npattern = \"exhibit/bought/\"\nbecause = \"bought from Fathom Assets\"\n";
    nia.writes("redshank.toml", listed);
    assert_eq!(rows(&nia), ["note reserved/listed exhibit/bought/"]);
    nia.writes(
        "redshank.toml",
        format!("visibility = \"public\"\n{listed}"),
    );
    let found = findings(&nia);
    assert_eq!(
        (
            found.len(),
            &found[0]["level"],
            &found[0]["files"],
            &found[0]["size"]
        ),
        (1, &"error".into(), &2.into(), &3.into())
    );
    assert!(
        found[0]["message"]
            .as_str()
            .unwrap()
            .starts_with("bought from Fathom Assets")
    );
    nia.redshank(&["tidy", "--apply", "--yes"]).fine();
    assert_eq!(
        nia.lists("ignored"),
        ["exhibit/bought/boat.fbx", "exhibit/bought/deep/sail.png"]
    );
    nia.writes("redshank.toml", "visibility = \"open\"\n");
    let said = nia.redshank(&["check"]);
    assert_eq!(said.code, 2);
    assert!(
        said.err.contains("redshank.toml") && said.err.contains("private"),
        "{}",
        said.err
    );
}

#[test]
fn internal_data_among_sources_is_a_note() {
    let nia = Person::with_repository();
    for path in [
        "members.xlsx",
        "db/levels-dump.sql",
        "tests/fixtures/members.xlsx",
        "db/schema.sql",
        "notes.txt",
    ] {
        nia.writes(path, "x");
    }
    assert_eq!(
        rows(&nia),
        [
            "note personal/notes notes.txt",
            "note reserved/data-dump db/levels-dump.sql",
            "note reserved/spreadsheet members.xlsx"
        ]
    );
}

#[test]
fn names_that_clash_or_that_windows_cannot_hold_are_found_once_each() {
    let nia = Person::with_repository();
    for path in [
        "src/Gauge.c",
        "src/gauge.c",
        "docs/a.md",
        "Docs/b.md",
        "Docs/c.md",
        "data/aux.csv",
        "what?.md",
        "good.md",
    ] {
        nia.writes(path, "x");
    }
    assert_eq!(
        rows(&nia),
        [
            "warning needed/case-clash docs/",
            "warning needed/case-clash src/gauge.c",
            "warning needed/unportable-name data/aux.csv",
            "warning needed/unportable-name what?.md",
        ]
    );
}

#[test]
fn what_works_here_and_breaks_at_a_colleagues_is_found() {
    let nia = Person::with_repository();
    let composed = "gr\u{f6}\u{df}e.txt";
    let apart = "gro\u{308}\u{df}e.txt";
    let deep = format!("{}/{}/x.c", "d".repeat(120), "e".repeat(120));
    for path in [composed, apart, &deep] {
        nia.writes(path, "x");
    }
    nia.writes("tools/build.sh", "#!/bin/sh\necho\n");
    nia.writes("tools/by-name.sh", "#!/bin/sh\necho\n");
    nia.writes("tools/fine.sh", "#!/bin/sh\necho\n");
    nia.writes(
        "Makefile",
        "all:\n\t./tools/build.sh && ./tools/fine.sh\n\tsh ./tools/by-name.sh\n",
    );
    nia.writes("marked.py", "\u{feff}#!/usr/bin/env python3\n");
    nia.writes("README.md", "# Tides\n");
    nia.writes("RUN.md", "# As somebody else\n");
    for (path, mode) in [
        ("tools/fine.sh", 0o755),
        ("README.md", 0o755),
        ("RUN.md", 0o4755),
    ] {
        let may_run = std::os::unix::fs::PermissionsExt::from_mode(mode);
        std::fs::set_permissions(nia.here().join(path), may_run).unwrap();
    }
    let found = [
        "note needed/mode README.md".to_owned(),
        "note needed/mode RUN.md".to_owned(),
        format!("warning needed/form-clash {composed}"),
        format!("warning needed/long-path {deep}"),
        "warning needed/mode tools/build.sh".to_owned(),
        "warning needed/script-mark marked.py".to_owned(),
    ];
    assert_eq!(rows(&nia), found);
    let may_run = |path: &str| {
        let meta = std::fs::metadata(nia.here().join(path)).unwrap();
        std::os::unix::fs::PermissionsExt::mode(&meta.permissions()) & 0o111 != 0
    };
    let modes = || ["tools/build.sh", "README.md"].map(may_run);
    nia.redshank(&["tidy", "--apply", "--yes"]).fine();
    // What runs as another user is a person's decision.
    assert!(may_run("RUN.md"));
    assert_eq!((modes(), rows(&nia).len()), ([true, false], 4));
    nia.redshank(&["undo", "--yes"]).fine();
    assert_eq!((modes(), rows(&nia).len()), ([false, true], 6));
    // Where the disk keeps no modes, git doesn't, and nothing is said of them.
    nia.git(&["config", "core.fileMode", "false"]).fine();
    let without = [2, 3, 5].map(|at| found[at].clone());
    assert_eq!(rows(&nia), without);
}

#[test]
fn a_repository_in_the_wrong_folder_is_found() {
    let mut nia = Person::new();
    nia.writes("club/app/Cargo.toml", "[package]\nname = \"app\"\n");
    nia.writes("club/app/README.md", "# Tides\n");
    nia.writes(".gitignore", "*.raw\n");
    nia.git(&["init", "--quiet", "club"]).fine();
    nia.goes_to("club");
    assert_eq!(
        rows(&nia),
        ["note rule/above .gitignore", "note rule/top app/"]
    );
    // With anything else beside it, it is a repository of several things.
    nia.writes("LICENSE", "x");
    nia.writes(".gitignore", "/app/target/\n");
    assert_eq!(rows(&nia), [""; 0]);
    let home = nia.home();
    std::fs::create_dir_all(&home).unwrap();
    nia.stands_in(&home);
    nia.git(&["init", "--quiet", "."]).fine();
    nia.writes("photos/boat.jpg", "x");
    assert!(rows(&nia).contains(&"warning personal/home .git/".to_owned()));
    // Whoever ignores all but a few files of it means it.
    nia.writes(".gitignore", "*\n");
    assert!(!rows(&nia).contains(&"warning personal/home .git/".to_owned()));
}

#[test]
fn links_that_lead_nowhere_elsewhere_are_found() {
    let nia = Person::with_repository();
    nia.writes(".gitignore", "/out/\n");
    nia.writes("out/level.csv", "x");
    nia.writes("src/level.c", "x");
    let link = |to: &str, at: &str| symlink(to, nia.here().join(at)).unwrap();
    link("/etc/hostname", "absolute");
    link("../level.c", "src/broken");
    link("out/level.csv", "to-ignored");
    link("../level.c", "src/sub");
    std::fs::remove_file(nia.here().join("src/sub")).unwrap();
    link("src/level.c", "fine");
    link("src", "fine-folder");
    assert_eq!(
        rows(&nia),
        [
            "warning needed/broken-link src/broken",
            "warning needed/link-to-ignored to-ignored",
            "warning personal/absolute-link absolute",
        ]
    );
}

#[test]
fn heavy_folders_are_found_by_sum_and_by_number_and_once() {
    let nia = Person::with_repository();
    nia.writes(
        "redshank.toml",
        "[limits]\nfolder_warning = \"2 KiB\"\nfolder_files = 8\n",
    );
    for nth in 0..3 {
        nia.writes(&format!("media/tides/{nth}.png"), vec![b'x'; 1000]);
    }
    for nth in 0..9 {
        nia.writes(&format!("readings/a/{nth}.txt"), "1");
    }
    nia.writes("readings/b/1.txt", "1");
    nia.writes("src/main.c", "x");
    assert_eq!(
        rows(&nia),
        [
            "warning oversized/folder media/tides/",
            "warning oversized/many-files readings/a/"
        ]
    );
    assert_eq!(findings(&nia)[0]["size"], 3000);
}

#[test]
fn archives_that_nobody_looked_into_are_counted_in_every_form() {
    let nia = Person::with_repository();
    nia.writes("levels.zip", b"PK\x03\x04\x14\0\0\0\0\0");
    nia.writes("tide.txt", "high\n");
    let text = nia.redshank(&["check"]);
    let said = "1 archive was not scanned";
    assert!(text.err.contains(said), "{}", text.err);
    assert_eq!(
        nia.redshank(&["check", "--format", "json"]).json()["unopened"],
        1
    );
    let sarif = nia.redshank(&["check", "--format", "sarif"]).json();
    let told = &sarif["runs"][0]["invocations"][0]["toolExecutionNotifications"];
    assert_eq!(told[0]["message"]["text"], said);
}

#[test]
fn a_large_file_says_where_its_type_belongs_and_attributes_are_held_against_contents() {
    let nia = Person::with_repository();
    nia.writes("redshank.toml", "[limits]\nfile_warning = \"4 KiB\"\n");
    nia.writes("swell.wav", vec![b'w'; 5000]);
    nia.writes("old.zip", vec![b'z'; 5000]);
    let message = |path: &str| {
        let found = findings(&nia)
            .into_iter()
            .find(|f| f["path"] == path && f["rule"] == "oversized/file");
        found
            .map(|f| f["message"].as_str().unwrap().to_owned())
            .unwrap_or_default()
    };
    assert!(
        message("swell.wav").contains("a recording, which belongs in large-file storage"),
        "{}",
        message("swell.wav")
    );
    assert!(
        message("old.zip").contains("an archive"),
        "{}",
        message("old.zip")
    );

    let pointer = format!(
        "version https://git-lfs.github.com/spec/v1\noid sha256:{}\nsize 12\n",
        "0".repeat(64)
    );
    nia.writes("whole.wav", vec![b'w'; 5000]);
    nia.git(&["add", "whole.wav"]);
    nia.writes(
        ".gitattributes",
        "*.wav filter=lfs diff=lfs merge=lfs -text\n",
    );
    nia.writes("absent.wav", &pointer);
    nia.writes("plain.bin", &pointer);
    std::fs::remove_file(nia.here().join("old.zip")).unwrap();
    // Not installed here: what is added now would be stored whole.
    assert_eq!(
        rows(&nia),
        [
            "note oversized/pointer-alone absent.wav",
            "warning oversized/pointer-uncovered plain.bin",
            "warning oversized/stored-whole swell.wav",
            "warning oversized/stored-whole whole.wav",
        ]
    );
    nia.git(&["config", "filter.lfs.clean", "cat"]);
    assert!(!rows(&nia).contains(&"warning oversized/stored-whole swell.wav".to_owned()));
}

#[test]
fn an_asset_without_its_companion_and_a_companion_alone_are_found() {
    let nia = Person::with_repository();
    let project = "game/Lagoon";
    nia.writes(
        &format!("{project}/ProjectSettings/ProjectVersion.txt"),
        "m_EditorVersion: 2022.3.1f1\n",
    );
    for path in [
        "Textures.meta",
        "Textures/mud.png",
        "Textures/mud.png.meta",
        "Textures/sand.png",
        "Old.prefab.meta",
    ] {
        nia.writes(&format!("{project}/Assets/{path}"), "x");
    }
    let pairs: Vec<String> = rows(&nia)
        .into_iter()
        .filter(|row| row.contains("companion"))
        .collect();
    assert_eq!(
        pairs,
        [
            format!("warning needed/companion-alone {project}/Assets/Old.prefab.meta"),
            format!("warning needed/companion-missing {project}/Assets/Textures/sand.png"),
        ]
    );
}

#[test]
fn rules_that_cannot_do_what_they_seem_to_are_found_and_idle_ones_are_not() {
    let nia = Person::with_repository();
    nia.writes(
        ".gitignore",
        "*.o\nout/\n!out/keep.txt\n*.log # logs\n[ab\n",
    );
    nia.writes("out/keep.txt", "x");
    nia.writes("a.log", "x");
    nia.writes("sub/.gitignore", "*\n");
    nia.writes("lib/.gitignroe", "*.o\n");
    let found: Vec<String> = findings(&nia)
        .iter()
        .map(|f| format!("{} {}:{}", f["rule"], f["path"], f["line"]))
        .collect();
    for wanted in [
        "\"rule/cannot-work\" \".gitignore\":3",
        "\"rule/misread\" \".gitignore\":4",
        "\"rule/impossible\" \".gitignore\":5",
        "\"needed/ignore-file\" \"sub/.gitignore\":1",
        "\"rule/stray-file\" \"lib/.gitignroe\":null",
    ] {
        assert!(found.contains(&wanted.to_owned()), "{wanted} in {found:#?}");
    }
    assert!(
        !found.iter().any(|row| row.contains("\".gitignore\":1")),
        "{found:#?}"
    );
}

#[test]
fn hidden_changes_are_a_note_and_a_sparse_tree_is_not() {
    let nia = Person::with_repository();
    nia.writes("station.ini", "level = 1\n");
    nia.writes("b.ini", "level = 1\n");
    nia.git(&["add", "."]);
    nia.git(&["update-index", "--assume-unchanged", "station.ini"]);
    nia.git(&["update-index", "--skip-worktree", "b.ini"]);
    assert_eq!(
        rows(&nia),
        [
            "note personal/hidden-changes b.ini",
            "note personal/hidden-changes station.ini"
        ]
    );
    nia.git(&["config", "core.sparseCheckout", "true"]);
    assert_eq!(rows(&nia), ["note personal/hidden-changes station.ini"]);
}

#[test]
fn what_tools_make_is_known_by_bytes_names_and_headers_and_many_are_one() {
    let nia = Person::with_repository();
    nia.writes(
        "bin/level",
        [
            b"\x7fELF\x02\x01\x01\0\0\0\0\0\0\0\0\0\x02\0".as_slice(),
            &[0; 40],
        ]
        .concat(),
    );
    nia.writes(
        "bin/core",
        [
            b"\x7fELF\x02\x01\x01\0\0\0\0\0\0\0\0\0\x04\0".as_slice(),
            &[0; 40],
        ]
        .concat(),
    );
    nia.writes("tests/fixtures/level", b"\x7fELF\x02\x01\x01\0");
    nia.writes(
        "proto/level.pb.cc",
        "// Generated by the protocol buffer compiler.  DO NOT EDIT!\n",
    );
    nia.writes(
        "ui/moc_gauge.cpp",
        "/****\n** Meta object code from reading C++ file 'gauge.h'\n****/\n",
    );
    for nth in 0..6 {
        nia.writes(&format!("web/out/{nth}.js.map"), "{}");
    }
    assert_eq!(
        rows(&nia),
        [
            "note generated/protocol-code proto/level.pb.cc",
            "warning generated/core-dump bin/core",
            "warning generated/interface-description ui/moc_gauge.cpp",
            "warning generated/program bin/level",
            "warning generated/source-map web/out/",
        ]
    );
    assert_eq!(
        findings(&nia)
            .iter()
            .find(|f| f["rule"] == "generated/source-map")
            .unwrap()["files"],
        6
    );
    nia.redshank(&["tidy", "--apply", "--yes"]).fine();
    assert_eq!(
        rows(&nia),
        ["note generated/protocol-code proto/level.pb.cc"]
    );
    nia.writes("web/out/level.js", "x");
    assert!(
        nia.lists("candidate")
            .contains(&"web/out/level.js".to_owned())
    );
}

#[test]
fn long_lines_growing_windows_and_odd_bytes_hide_no_secret() {
    let nia = Person::with_repository();
    let token = |seed| format!("token = '{}'", made_up(30, seed));
    // One line of many megabytes, with the value across the edge of what is read at a time.
    for (nth, before) in [(1 << 20) - 20, (1 << 20) - 5, (2 << 20) - 30]
        .into_iter()
        .enumerate()
    {
        nia.writes(
            &format!("long{nth}.py"),
            format!(
                "{};{} ;{}",
                "x".repeat(before),
                token(nth as u64),
                "y".repeat(3 << 20)
            ),
        );
    }
    nia.writes(
        "odd.py",
        [
            b"caf\xe9 = 1\n\xff\xfe\n".as_slice(),
            token(9).as_bytes(),
            b"\n",
        ]
        .concat(),
    );
    let paths: Vec<String> = findings(&nia)
        .iter()
        .map(|f| f["path"].as_str().unwrap().to_owned())
        .collect();
    assert_eq!(paths.len(), 4, "{paths:?}");
}

#[test]
fn what_must_not_go_out_is_needed_by_nobody() {
    let nia = Person::with_repository();
    let project = "game/Lagoon";
    nia.writes(
        &format!("{project}/ProjectSettings/ProjectVersion.txt"),
        "m_EditorVersion: 2022.3.1f1\n",
    );
    nia.writes(&format!("{project}/Assets/Bought.meta"), "x");
    nia.writes(&format!("{project}/Assets/Bought/boat.fbx"), "x");
    let listed =
        format!("[[reserved]]\npattern = \"{project}/Assets/Bought*\"\nbecause = \"bought\"\n");
    nia.writes(
        "redshank.toml",
        format!("visibility = \"public\"\n{listed}"),
    );
    nia.redshank(&["tidy", "--apply", "--yes"]).fine();
    assert_eq!(rows(&nia), [""; 0]);
    // Neither is it missing in a clone, nor re-included by a draft.
    assert_eq!(
        nia.redshank(&["rehearse", "--format", "json"])
            .fine()
            .json()["missing"],
        serde_json::json!([])
    );
    nia.redshank(&["draft", "--write", "--yes"]).fine();
    assert!(
        !nia.lists("candidate")
            .iter()
            .any(|path| path.contains("Bought")),
        "{:?}",
        nia.lists("candidate")
    );
}

#[test]
fn a_file_among_many_of_its_kind_that_is_kept_on_purpose_stops_no_rule_from_being_narrow() {
    let nia = Person::with_repository();
    for nth in 0..6 {
        nia.writes(
            &format!("web/lib/m{nth}.so"),
            b"\x7fELF\x02\x01\x01\0\0\0\0\0\0\0\0\0\x03\0",
        );
    }
    nia.writes("web/lib/script.so", "GROUP ( libm.so.6 )\n");
    // One of that extension is text: a rule for the extension would swallow it, so each file has
    // its own.
    let found = rows(&nia);
    assert_eq!(found.len(), 6, "{found:?}");
    nia.redshank(&["tidy", "--apply", "--yes"]).fine();
    assert_eq!(nia.lists("candidate"), [".gitignore", "web/lib/script.so"]);
}

#[test]
fn paths_of_one_machine_in_settings_are_a_note_and_stand_ins_are_none() {
    let nia = Person::with_repository();
    nia.writes(
        "gateway/station.toml",
        "[data]\nport = 1\nfolder = \"/home/nia.m/levels/raw\"\n",
    );
    nia.writes(
        "kiosk/paths.json",
        "{ \"out\": \"C:\\\\Users\\\\Otto\\\\levels\\\\x\" }\n",
    );
    nia.writes(
        "ci.yml",
        "path: /home/runner/work/x\nother: /home/user/levels/\n",
    );
    nia.writes("docs/setup.md", "put it under /home/nia/levels/\n");
    nia.writes(
        "src/api.json",
        "{ \"route\": \"https://tidewatch.example/Users/list/all\" }\n",
    );
    assert_eq!(
        rows(&nia),
        [
            "note personal/machine-path gateway/station.toml",
            "note personal/machine-path kiosk/paths.json"
        ]
    );
    assert_eq!(
        findings(&nia)
            .iter()
            .find(|f| f["path"] == "gateway/station.toml")
            .unwrap()["line"],
        3
    );
}

#[test]
fn many_of_one_kind_are_one_finding_that_can_be_accepted_whole_or_place_by_place() {
    let nia = Person::with_repository();
    for nth in 0..7 {
        nia.writes(&format!("d{nth}/build.bat"), "@echo off\necho tide\n");
    }
    let said = nia.redshank(&["check", "--format", "json"]).json();
    let found = said["findings"].as_array().unwrap();
    assert_eq!(
        (found.len(), found[0]["also"].as_array().unwrap().len()),
        (1, 6)
    );
    assert_eq!(said["summary"]["classes"][0]["files"], 7);
    let id = found[0]["id"].as_str().unwrap();
    nia.redshank(&["accept", id, "--because", "fine there", "--write"])
        .fine();
    let said = nia.redshank(&["check", "--format", "json"]).json();
    assert_eq!(
        (&said["findings"], &said["summary"]["accepted"]),
        (&json!([]), &json!(7))
    );
}

#[test]
fn settings_of_a_tool_that_work_against_version_control_are_found() {
    let nia = Person::with_repository();
    let settings = "%YAML 1.1\nEditorSettings:\n  m_ExternalVersionControlSupport: Hidden Meta Files\n  m_SerializationMode: 1\n";
    nia.writes("game/ProjectSettings/EditorSettings.asset", settings);
    nia.writes(
        "web/tsconfig.json",
        "{\"compilerOptions\": {\"outDir\": \"./src\"}}",
    );
    nia.writes(
        "tide/tsconfig.json",
        "{\"compilerOptions\": {\"outDir\": \"./dist\"}}",
    );
    nia.writes(
        "levels.ipynb",
        "{\"cells\": [{\"outputs\": [{\"output_type\": \"stream\"}]}]}",
    );
    // One folder for both, and a folder of its own for each.
    let root = "STATIC_ROOT = BASE_DIR / \"static\"\nSTATICFILES_DIRS = [";
    nia.writes("page/settings.py", format!("{root}BASE_DIR / 'static']\n"));
    let other = "os.path.join(PROJECT_DIR, \"static\"),\n]\n";
    nia.writes("site/settings.py", format!("{root}\n    {other}"));
    let of_settings = || {
        let rows = rows(&nia).into_iter();
        let is_setting = |row: &String| {
            let names = [
                "hidden-companions",
                "binary-assets",
                "output-among",
                "kept-outputs",
            ];
            names.iter().any(|name| row.contains(name))
        };
        let mut rows: Vec<String> = rows.filter(is_setting).collect();
        rows.sort();
        rows
    };
    let wanted = [
        "note needed/kept-outputs levels.ipynb",
        "warning needed/binary-assets game/ProjectSettings/EditorSettings.asset",
        "warning needed/hidden-companions game/ProjectSettings/EditorSettings.asset",
        "warning needed/output-among-sources page/settings.py",
        "warning needed/output-among-sources web/tsconfig.json",
    ];
    assert_eq!(of_settings(), wanted);
    nia.writes(".gitattributes", "*.ipynb filter=notebook\n");
    nia.writes(
        "game/ProjectSettings/EditorSettings.asset",
        settings.replace("Hidden", "Visible").replace(": 1", ": 2"),
    );
    assert_eq!(of_settings(), wanted[3..]);
}

#[test]
fn a_library_needs_no_lock_file_and_a_program_does() {
    let nia = Person::with_repository();
    nia.writes(
        "Cargo.toml",
        "[package]\nname = \"tide\"\nversion = \"0.1.0\"\n",
    );
    nia.writes("Cargo.lock", "version = 4\n");
    nia.writes("src/lib.rs", "");
    nia.writes(".gitignore", "/target/\nCargo.lock\n");
    assert_eq!(rows(&nia), [""; 0]);
    nia.writes("src/main.rs", "fn main() {}\n");
    assert_eq!(rows(&nia), ["warning needed/swallowed Cargo.lock"]);
}

#[test]
fn releases_results_and_lists_of_dependencies_are_known_by_what_is_beside_them() {
    let nia = Person::with_repository();
    for folder in ["", "Tides-0.1/"] {
        nia.writes(&format!("{folder}lib/Tides.pm"), "package Tides; 1;\n");
        nia.writes(&format!("{folder}t/tides.t"), "use Tides;\n");
        nia.writes(&format!("{folder}dist.ini"), "name = Tides\n");
    }
    nia.writes("Tides-0.1/META.yml", "name: Tides\n");
    // Somebody else's, of which nothing is beside it.
    nia.writes("Harbour-2.0/lib/Harbour.pm", "package Harbour; 1;\n");
    nia.writes("expected/levels.out", "3 of 4\n");
    nia.writes("results/levels.out", "4 of 4\n");
    nia.writes("gauge.d", "gauge.o: gauge.c level.h\n");
    nia.writes("flood.d", "module flood;\nimport std.stdio;\n");
    nia.redshank(&["draft", "--write", "--yes"]).fine();
    assert_eq!(
        nia.lists("candidate"),
        [
            ".gitignore",
            "Harbour-2.0/lib/Harbour.pm",
            "dist.ini",
            "expected/levels.out",
            "flood.d",
            "lib/Tides.pm",
            "t/tides.t"
        ]
    );
    // What is in a release is no project of its own.
    let rules = String::from_utf8(nia.reads(".gitignore")).unwrap();
    assert_eq!(rules.matches("Tides-0.1").count(), 1, "{rules}");
}

#[test]
fn a_name_that_people_give_and_an_option_for_input_take_nothing_away() {
    let nia = Person::with_repository();
    nia.writes("hub/profiles/default/catalog.xml", "<catalog/>\n");
    nia.writes("tide-build/guide.md", "# How tides are built\n");
    nia.writes(
        "Makefile",
        "page:\n\trender --template page.tmpl --profile wide.json > page.html\n",
    );
    nia.writes("page.tmpl", "<p>{{ level }}</p>\n");
    nia.writes(".compose.db.yml", "services: {}\n");
    // Somebody's page with a library in it.
    let library = "(function(){return 1})();".repeat(400);
    nia.writes(
        "tides.html",
        format!("<script>{library}</script>\n<h1>Tides</h1>\n"),
    );
    nia.writes("wide.json", "{}\n");
    nia.writes("page.html", "<p>3</p>\n");
    nia.writes("gauge/level.py", "import ctypes\n");
    nia.writes(
        "gauge/modem.so",
        b"\x7fELF\x02\x01\x01\0\0\0\0\0\0\0\0\0\x03\0",
    );
    nia.redshank(&["draft", "--write", "--yes"]).fine();
    nia.redshank(&["tidy", "--apply", "--yes"]).fine();
    let candidates = nia.lists("candidate");
    for kept in [
        "hub/profiles/default/catalog.xml",
        "tide-build/guide.md",
        "page.tmpl",
        ".compose.db.yml",
        "tides.html",
        "wide.json",
        "gauge/modem.so",
    ] {
        assert!(
            candidates.contains(&kept.to_owned()),
            "{kept}: {candidates:?}"
        );
    }
    assert!(
        !candidates.contains(&"page.html".to_owned()),
        "{candidates:?}"
    );
}

#[test]
fn pages_in_one_folder_take_nothing_along_that_is_beside_it() {
    let nia = Person::with_repository();
    nia.writes("north/manual.txt", "Tides rise.\n");
    nia.writes("north/book.cfg", "[paths] po/doc.pot\n[text] manual.txt\n");
    nia.writes("north/guide.xml", "<guide><title>Tides</title></guide>\n");
    nia.writes("north/po/de.po", "msgid \"Tides rise.\"\nmsgstr \"\"\n");
    let page = "<html><head><meta name=\"generator\" content=\"DocBook XSL Stylesheets V1\"></head></html>\n";
    nia.writes("north/web/index.html", page);
    nia.writes("north/web/guide.proc", "");
    nia.writes(
        "north/tide.1",
        "'\\\" t\n.\\\"     Title: tide\n.\\\" Generator: DocBook XSL Stylesheets\n.TH TIDE 1\n",
    );
    // An instrument calls its folders by the second, too: that alone is a hint.
    nia.writes("soundings/2026-12-01/04-40-16/pier.txt", "3.1 m\n");
    nia.writes("soundings/20261201_044107/pier.csv", "1,3.1\n2,3.2\n");
    nia.redshank(&["draft", "--write", "--yes"]).fine();
    assert_eq!(
        nia.lists("candidate"),
        [
            ".gitignore",
            "north/book.cfg",
            "north/guide.xml",
            "north/manual.txt",
            "north/po/de.po",
            "soundings/2026-12-01/04-40-16/pier.txt",
            "soundings/20261201_044107/pier.csv"
        ]
    );
}
