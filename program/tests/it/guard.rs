//! Hiding local changes, and the check before each commit.

use crate::common::{Person, made_up};
use std::os::unix::fs::PermissionsExt;

#[test]
fn a_muted_file_is_hidden_listed_and_brought_back() {
    let nia = Person::with_repository();
    nia.writes("station.ini", "port = 1\n");
    nia.writes("new.ini", "x");
    nia.git(&["add", "station.ini"]);
    nia.git(&["commit", "-qm", "one"]);
    let said = nia.redshank(&["mute", "station.ini"]).fine();
    assert!(
        said.out.contains("redshank unmute station.ini") && said.out.contains("a file of your own"),
        "{}",
        said.out
    );
    // Of another size: git may not see a change within the same tick of the clock.
    nia.writes("station.ini", "port = 77\n");
    assert_eq!(nia.git(&["status", "--porcelain"]).out, "?? new.ini\n");
    let listed = nia
        .redshank(&["mute", "--list", "--format", "json"])
        .fine()
        .json();
    assert_eq!(
        listed["muted"],
        serde_json::json!([{ "path": "station.ini", "changed": true, "changed_upstream": false }])
    );
    nia.redshank(&["unmute", "station.ini"]).fine();
    assert_eq!(
        nia.git(&["status", "--porcelain"]).out,
        " M station.ini\n?? new.ini\n"
    );
    assert_eq!(nia.reads("station.ini"), b"port = 77\n");
    let said = nia.redshank(&["mute", "station.ini", "new.ini"]);
    assert_eq!(said.code, 2);
    assert!(said.err.contains("new.ini is not tracked"), "{}", said.err);
    assert!(
        nia.redshank(&["mute", "--list"])
            .fine()
            .out
            .contains("no file is muted")
    );
}

#[test]
fn a_muted_file_that_changes_upstream_is_told_of() {
    let nia = Person::with_repository();
    nia.writes("station.ini", "port = 1\n");
    nia.git(&["add", "."]);
    nia.git(&["commit", "-qm", "one"]);
    nia.git(&["clone", "-q", ".", "../there"]);
    let mut otto = nia;
    let home = otto.here().to_owned();
    otto.goes_to("../there");
    otto.redshank(&["mute", "station.ini"]).fine();
    std::fs::write(home.join("station.ini"), "port = 2\n").unwrap();
    otto.git(&["-C", home.to_str().unwrap(), "commit", "-qam", "two"]);
    otto.git(&["fetch", "-q"]);
    let said = otto.redshank(&["mute", "--list"]).fine();
    assert!(said.out.contains("changed upstream"), "{}", said.out);
}

#[test]
fn the_hook_refuses_a_secret_and_lets_the_mended_commit_through() {
    let nia = Person::with_repository();
    nia.redshank(&["hook", "on"]).fine();
    let token = made_up(30, 1);
    nia.writes("uplink.py", format!("token = '{token}'\n"));
    nia.git(&["add", "."]);
    let refused = nia.git_says(&["commit", "-m", "one"]);
    assert_eq!(refused.code, 1, "{}{}", refused.out, refused.err);
    let said = refused.out + &refused.err;
    assert!(
        said.contains("uplink.py:1") && said.contains("--no-verify") && !said.contains(&token),
        "{said}"
    );
    // What counts is what is staged.
    nia.writes("uplink.py", "token = environment['UPLINK']\n");
    assert_eq!(nia.git_says(&["commit", "-m", "one"]).code, 1);
    nia.git(&["add", "."]);
    nia.git(&["commit", "-qm", "one"]);
    // All tracked files, without an index of the person's own.
    nia.writes("uplink.py", format!("token = '{token}'\n"));
    assert_eq!(nia.git_says(&["commit", "-am", "two"]).code, 1);
    nia.redshank(&["hook", "off"]).fine();
    assert!(!nia.here().join(".git/hooks/pre-commit").exists());
    nia.git(&["commit", "-qam", "two"]);
}

#[test]
fn the_hook_works_beside_others_and_goes_without_a_trace() {
    let own_shell = "#!/usr/bin/env bash\necho own >> ran\nexit 0\n";
    let own_other = "#!/usr/bin/python3\nopen('ran', 'a').write('own\\n')\n";
    for (own, folder) in [
        (own_shell, None),
        (own_other, None),
        (own_shell, Some("tools/hooks")),
    ] {
        let nia = Person::with_repository();
        let hook = format!("{}/pre-commit", folder.unwrap_or(".git/hooks"));
        if let Some(folder) = folder {
            nia.git(&["config", "core.hooksPath", folder]);
        }
        nia.writes(&hook, own);
        let path = nia.here().join(&hook);
        std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o755)).unwrap();
        let before = std::fs::read_dir(path.parent().unwrap()).unwrap().count();
        for _ in 0..2 {
            let said = nia.redshank(&["hook", "on"]).fine();
            assert!(
                said.out.contains("your own hook runs after it"),
                "{}",
                said.out
            );
            assert_eq!(said.out.contains("for everyone"), folder.is_some());
        }
        nia.writes("a.py", format!("token = '{}'\n", made_up(30, 2)));
        nia.git(&["add", "a.py"]);
        if folder.is_none() {
            assert_eq!(nia.git_says(&["commit", "-m", "one"]).code, 1);
            assert!(!nia.here().join("ran").exists());
        }
        nia.git(&["rm", "-q", "--cached", "a.py"]);
        nia.writes("b.py", "level = 1\n");
        nia.git(&["add", "b.py"]);
        let made = nia.git(&["commit", "-qm", "two"]);
        assert_eq!(nia.reads("ran"), b"own\n");
        // In a shared folder no path of this machine is written, so it says that it isn't there,
        // and blocks nothing.
        assert_eq!(
            made.err.contains("redshank isn't here"),
            folder.is_some(),
            "{}",
            made.err
        );
        nia.redshank(&["hook", "off"]).fine();
        assert_eq!(std::fs::read(&path).unwrap(), own.as_bytes());
        assert_eq!(
            std::fs::metadata(&path).unwrap().permissions().mode() & 0o777,
            0o755
        );
        assert_eq!(
            std::fs::read_dir(path.parent().unwrap()).unwrap().count(),
            before
        );
    }
}

#[test]
fn a_lock_held_for_a_moment_is_waited_for() {
    let nia = Person::with_repository();
    nia.writes("station.ini", "x");
    nia.git(&["add", "."]);
    let lock = nia.here().join(".git/index.lock");
    std::fs::write(&lock, "").unwrap();
    let said = nia.redshank(&["mute", "station.ini"]);
    assert_eq!(said.code, 2);
    assert!(said.err.contains("index.lock exists"), "{}", said.err);
    let other = std::thread::spawn(move || {
        std::thread::sleep(std::time::Duration::from_millis(200));
        std::fs::remove_file(lock).unwrap();
    });
    nia.redshank(&["mute", "station.ini"]).fine();
    other.join().unwrap();
}
