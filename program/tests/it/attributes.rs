//! `why --attributes`: what git's attributes are, and the lines that give them.

use crate::common::Person;
use crate::schemas::valid;
use serde_json::json;

#[test]
fn attributes_come_with_the_line_that_decides() {
    let nia = Person::with_repository();
    nia.writes(
        ".gitattributes",
        "* text=auto\n*.sh text eol=lf\n*.png binary\n\"odd name.txt\" -diff\n",
    );
    nia.writes(
        "src/.gitattributes",
        "*.sh -text\n!*.sh text\n*.c diff=cpp b@d\n",
    );
    nia.writes("src/b.sh", "");
    let said = nia.redshank_told(
        &["why", "--attributes", "--stdin", "-z", "--format", "jsonl"],
        b"src/b.sh\0p.png\0odd name.txt\0src/a.c\0",
    );
    let rows: Vec<serde_json::Value> = said
        .out
        .lines()
        .map(|row| serde_json::from_str(row).unwrap())
        .collect();
    valid("attributes", &json!(rows));
    let line = |source: &str, line: u32| json!({ "source": source, "line": line });
    assert_eq!(rows[0]["path"], "src/b.sh");
    assert_eq!(rows[0]["attributes"]["text"], "unset");
    assert_eq!(rows[0]["decided_by"]["text"], line("src/.gitattributes", 1));
    assert_eq!(rows[0]["decided_by"]["eol"], line(".gitattributes", 2));
    // A macro gives what it stands for.
    assert_eq!(rows[1]["attributes"]["merge"], "unset");
    assert_eq!(rows[1]["decided_by"]["merge"], line(".gitattributes", 3));
    assert_eq!(rows[2]["decided_by"]["diff"], line(".gitattributes", 4));
    // A line with a name that git wouldn't take gives nothing.
    assert!(rows[3]["attributes"].get("diff").is_none(), "{}", rows[3]);
    for row in &rows {
        let path = row["path"].as_str().unwrap();
        let theirs = nia.git(&["check-attr", "--all", "--", path]).out;
        let mut theirs: Vec<(String, String)> = theirs
            .lines()
            .map(|line| {
                let mut words = line.rsplitn(3, ": ");
                let (value, name) = (words.next().unwrap(), words.next().unwrap());
                (name.to_owned(), value.to_owned())
            })
            .collect();
        theirs.sort();
        let ours = row["attributes"].as_object().unwrap().iter();
        let ours: Vec<(String, String)> = ours
            .map(|(name, value)| (name.clone(), value.as_str().unwrap().to_owned()))
            .collect();
        assert_eq!(ours, theirs, "{path}");
    }
    let said = nia.redshank(&["why", "--attributes", "src/b.sh"]).fine();
    assert!(
        said.out.contains("src/.gitattributes, line 1"),
        "{}",
        said.out
    );
    let said = Person::new().redshank(&["why", "--attributes", "a"]);
    assert!(
        said.code == 2 && said.err.contains("git init"),
        "{}",
        said.err
    );
}
