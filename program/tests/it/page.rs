//! The picture of a working tree as a page. How it holds in a browser is looked at by
//! tests/browser/page.mjs.

use crate::common::{Person, made_up, private_key};

fn page(nia: &Person, words: &[&str]) -> String {
    nia.redshank(&[&["survey", "--page", "-"], words].concat())
        .fine()
        .out
}

#[test]
fn a_page_tells_what_the_commands_tell_and_no_secret() {
    let nia = Person::with_demo();
    let token = format!("glpat-{}", made_up(20, 11));
    nia.writes(&format!("{token}.txt"), "1");
    nia.writes("old.pem", private_key());
    nia.git(&["add", "old.pem"]);
    nia.git(&["commit", "-q", "-m", "one"]);
    nia.git(&["rm", "-q", "--cached", "old.pem"]);
    std::fs::remove_file(nia.here().join("old.pem")).unwrap();
    let html = page(&nia, &[]);
    assert!(!html.contains(&token), "a secret in a name is shown");
    let found = nia.redshank(&["check", "--format", "json"]).json();
    for finding in found["findings"].as_array().unwrap() {
        let id = finding["id"].as_str().unwrap();
        assert!(html.contains(id), "{finding}");
    }
    assert!(html.contains("exhibit/Lagoon/ProjectSettings/ProjectVersion.txt"));
    assert!(!html.contains("old.pem"), "the history was not asked for");
    assert!(page(&nia, &["--history"]).contains("old.pem"));
    let of_folder = page(&nia, &["gateway"]);
    assert!(of_folder.contains("gateway/, in ") && !of_folder.contains("soundings"));
}

#[test]
fn a_page_replaces_only_a_page() {
    let nia = Person::with_repository();
    nia.writes("a.txt", "1");
    nia.writes("mine.html", "<p>mine");
    let write = |file: &str| nia.redshank(&["survey", "--page", file]);
    assert_eq!(write("mine.html").code, 2);
    assert_eq!(nia.reads("mine.html"), b"<p>mine");
    assert_eq!(write("nowhere/page.html").code, 2);
    write("page.html").fine();
    write("page.html").fine();
    let html = String::from_utf8(nia.reads("page.html")).unwrap();
    assert!(html.starts_with("<!DOCTYPE html>") && html.contains("default-src 'none'"));
    assert!(!html.contains("http://") && !html.contains("https://") && !html.contains("<script"));
}
