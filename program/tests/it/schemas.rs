//! What the program writes as JSON is what docs/schemas/ says.

use crate::common::Person;
use serde_json::Value;

fn schema(name: &str) -> jsonschema::Validator {
    read(&format!("../docs/schemas/{name}.json"))
}

fn read(path: &str) -> jsonschema::Validator {
    let path = format!("{}/{path}", env!("CARGO_MANIFEST_DIR"));
    let schema: Value = serde_json::from_slice(&std::fs::read(path).unwrap()).unwrap();
    jsonschema::validator_for(&schema).unwrap()
}

#[track_caller]
pub fn valid(name: &str, document: &Value) {
    let errors: Vec<String> = schema(name)
        .iter_errors(document)
        .map(|error| error.to_string())
        .collect();
    assert!(errors.is_empty(), "{name}: {errors:?}");
}

#[test]
fn reports_on_the_demo_hold_to_their_schemas() {
    let nia = Person::with_demo();
    std::fs::write(nia.here().join("odd\u{1}name.log"), "").unwrap();
    let finding = nia.redshank(&["check", "--format", "json"]).json()["findings"][0]["id"].clone();
    let accept = ["accept", finding.as_str().unwrap(), "--because", "x"];
    for (name, words) in [
        ("mute", &["mute", "gateway/uplink-trace.log"][..]),
        ("mute", &["mute", "--list"]),
        ("mute", &["unmute", "gateway/uplink-trace.log"]),
        ("survey", &["survey"]),
        ("check", &["check"]),
        ("accept", &accept),
        ("effect", &["draft"]),
        ("effect", &["try", "*.raw", "!*.jar"]),
        ("why", &["try", "*.raw", "--on", "a.raw", "b.c"]),
        ("why", &["why", "a.raw", "gateway/uplink-trace.log"]),
        ("files", &["files", "--state", "ignored,candidate,tracked"]),
        ("folders", &["files", "--tree"]),
        ("settings", &["settings"]),
        ("settings", &["settings", "visibility", "private"]),
        ("survey", &["survey", "gateway"]),
        ("hook", &["hook"]),
        ("hook", &["hook", "on"]),
        ("hook", &["hook", "off"]),
        ("tidy", &["tidy"]),
        ("tidy", &["tidy", "--apply", "--yes"]),
        ("check", &["check"]),
        ("rules", &["rules"]),
        ("effect", &["add", "*.raw"]),
        ("effect", &["drop", "*.log"]),
        ("templates", &["templates"]),
        ("template", &["templates", "show", "unity"]),
        ("templates-test", &["templates", "test", "rust"]),
        (
            "templates-new",
            &["templates", "new", "x", "--from", ".gitignore"],
        ),
        ("undo", &["undo", "--list"]),
        ("rehearse", &["rehearse"]),
        (
            "rehearse",
            &["rehearse", "--", "touch", "new", "gateway/target"],
        ),
        ("record", &["prove", "--record", "--write"]),
        ("prove", &["prove"]),
    ] {
        let (before, behind) = match words.iter().position(|word| *word == "--") {
            Some(at) => words.split_at(at),
            None => (words, &[][..]),
        };
        let words = [before, &["--format", "json"], behind].concat();
        valid(name, &nia.redshank(&words).json());
    }
    assert!(!schema("check").is_valid(&serde_json::json!({ "schema": "redshank.check/1" })));
}

/// The schema is the one of the OASIS standard SARIF 2.1.0, with the pattern for languages as its
/// errata have it.
#[test]
fn sarif_on_the_demo_holds_to_the_standard() {
    let nia = Person::with_demo();
    std::fs::create_dir(nia.here().join("odd")).unwrap();
    std::fs::write(
        nia.here().join("odd/a b\u{e9}?.pem"),
        format!("-----BEGIN {} KEY-----\n{}\n", "PRIVATE", "Ab1".repeat(30)),
    )
    .unwrap();
    let log = nia.redshank(&["check", "--format", "sarif"]).json();
    holds_to_sarif(&log);
    assert!(log["runs"][0]["results"].as_array().unwrap().len() > 20);
    let mut bad = log;
    bad["runs"][0]["results"][0]["level"] = "bad".into();
    assert!(!read(SARIF).is_valid(&bad));
}

const SARIF: &str = "tests/standards/sarif-2.1.0.json";

/// Whether a log is as the standard says, and describes each of its rules.
pub fn holds_to_sarif(log: &Value) {
    let standard = read(SARIF);
    let errors: Vec<String> = standard
        .iter_errors(log)
        .map(|error| format!("{}: {error}", error.instance_path()))
        .collect();
    assert!(errors.is_empty(), "{errors:#?}");
    let rules = &log["runs"][0]["tool"]["driver"]["rules"];
    for rule in rules.as_array().unwrap() {
        for key in ["shortDescription", "fullDescription", "help"] {
            assert!(!rule[key]["text"].as_str().unwrap().is_empty(), "{rule}");
        }
    }
}
