//! What each main command says on the demo, as a person reads it on a narrow and on a wide
//! terminal, and as a program does. `cargo insta review`, or `INSTA_UPDATE=always` and a look at
//! the difference, takes in what was meant to change.

use crate::common::Person;
use serde_json::Value;

/// A command on the demo, its name among the snapshots, and whether programs may ask for it, too.
const COMMANDS: &[(&str, &str, bool)] = &[
    ("survey", "survey", true),
    (
        "why",
        "why exhibit/Lagoon/Library/ kiosk/gradle/wrapper/gradle-wrapper.jar \
         gateway/uplink-trace.log gateway/src/main.rs",
        true,
    ),
    ("try", "try '*.raw' /exhibit/Lagoon/Library/", true),
    ("rules", "rules", true),
    ("files", "files --tree", true),
    ("add", "add --like soundings/2026-03-20.raw", false),
    ("templates", "templates", true),
    ("template", "templates show unity", true),
    ("draft", "draft", true),
    ("check", "check", true),
    ("tidy", "tidy", true),
    ("record", "prove --record", false),
    ("rehearse", "rehearse", true),
    ("mute", "mute --list", true),
    ("hook", "hook", true),
];

/// What was done, and shows then.
const AFTER_CLEANING: &[(&str, &str, bool)] = &[
    ("prove-after", "prove", true),
    ("survey-after", "survey", true),
    ("undo-list", "undo --list", true),
];

#[test]
fn every_command_says_on_the_demo_what_it_did() {
    let nia = Person::with_demo();
    hold(&nia, COMMANDS);
    nia.redshank(&["draft", "--write", "--yes"]).fine();
    nia.redshank(&["tidy", "--apply", "--yes"]).fine();
    nia.redshank(&["prove", "--record", "--write", "--yes"])
        .fine();
    hold(&nia, AFTER_CLEANING);
}

fn hold(nia: &Person, commands: &[(&str, &str, bool)]) {
    let mut settings = insta::Settings::clone_current();
    settings.set_prepend_module_to_snapshot(false);
    settings.set_omit_expression(true);
    let _set = settings.bind_to_scope();
    for (name, words, has_document) in commands {
        for columns in [80, 120] {
            let said = nia.redshank_in_columns(columns, words);
            insta::assert_snapshot!(format!("{name}-{columns}"), steady(nia, &said));
        }
        if *has_document {
            let words = format!("{} {words} --format json", env!("CARGO_BIN_EXE_redshank"));
            let mut document = nia.runs("sh", &["-c", &words]).json();
            shorten(&mut document);
            let text = serde_json::to_string_pretty(&document).unwrap();
            insta::assert_snapshot!(format!("{name}-json"), steady(nia, &text));
        }
    }
}

/// Long lists end after a few, with how many more there are.
fn shorten(value: &mut Value) {
    match value {
        Value::Array(rows) => {
            let more = rows.len().saturating_sub(LONGEST);
            rows.truncate(LONGEST);
            rows.iter_mut().for_each(shorten);
            if more > 0 {
                rows.push(format!("and {more} more").into());
            }
        }
        Value::Object(fields) => {
            if let Some(time) = fields.get_mut("time") {
                *time = "then".into();
            }
            fields.values_mut().for_each(shorten);
        }
        _ => {}
    }
}

const LONGEST: usize = 6;

/// The same wherever it stood, and whenever.
fn steady(nia: &Person, said: &str) -> String {
    let mut text = said.replace(nia.here().to_str().unwrap(), "/home/nia/work");
    let is_time =
        |text: &str| text.is_ascii() && text.replace(|c: char| c.is_ascii_digit(), "9") == MINUTE;
    while let Some(at) =
        (0..text.len()).find(|at| text.get(*at..at + MINUTE.len()).is_some_and(is_time))
    {
        text.replace_range(at..at + MINUTE.len(), "when it was done");
    }
    text
}

const MINUTE: &str = "9999-99-99 99:99";
