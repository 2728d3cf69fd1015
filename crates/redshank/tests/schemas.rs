//! What the program writes as JSON is what docs/schemas/ says.
#![allow(clippy::unwrap_used, reason = "a test that can't go on has failed")]

mod common;

use common::Person;
use serde_json::Value;

fn schema(name: &str) -> jsonschema::Validator {
    let path = format!("{}/../../docs/schemas/{name}.json", env!("CARGO_MANIFEST_DIR"));
    let schema: Value = serde_json::from_slice(&std::fs::read(path).unwrap()).unwrap();
    jsonschema::validator_for(&schema).unwrap()
}

#[track_caller]
fn valid(name: &str, document: &Value) {
    let errors: Vec<String> = schema(name).iter_errors(document).map(|error| error.to_string()).collect();
    assert!(errors.is_empty(), "{name}: {errors:?}");
}

#[test]
fn reports_on_the_demo_hold_to_their_schemas() {
    let nia = Person::with_demo();
    std::fs::write(nia.here().join("odd\u{1}name.log"), "").unwrap();
    for (name, words) in [
        ("survey", &["survey"][..]),
        ("check", &["check"]),
        ("effect", &["draft"]),
        ("effect", &["try", "*.raw", "!*.jar"]),
        ("tidy", &["tidy"]),
        ("tidy", &["tidy", "--apply", "--yes"]),
        ("check", &["check"]),
        ("rules", &["rules"]),
        ("effect", &["add", "*.raw"]),
        ("template", &["templates", "show", "unity"]),
    ] {
        valid(name, &nia.redshank(&[words, &["--format", "json"]].concat()).json());
    }
    nia.redshank(&["prove", "--record", "--write"]).fine();
    valid("prove", &nia.redshank(&["prove", "--format", "json"]).json());
    assert!(!schema("check").is_valid(&serde_json::json!({ "schema": "redshank.check/1" })));
}
