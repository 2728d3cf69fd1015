//! What values are told from, each with a line for its like.

use super::stand_in::Tables;
use super::*;
use redshank_tables::{packed, read};

fn strength_of(name: &str, value: &str, written: Quoting, is_setting: bool) -> Option<Strength> {
    let says = names::kind_of(name.as_bytes()).unwrap();
    let standing = Standing {
        says,
        written,
        is_strict: false,
        is_setting,
    };
    strength(value.as_bytes(), name.as_bytes(), standing)
}

#[test]
fn what_somebody_chose_is_told_from_references_labels_and_stand_ins() {
    let quoted = |name, value| strength_of(name, value, Quoting::Quoted, false);
    for value in [
        "sunshine",
        "Hoch#wasser7",
        "84629175",
        "$pring*Tide9",
        "tide-gauge-north",
        "!%&$)(=?",
    ] {
        assert_eq!(
            quoted("db_password", value),
            Some(Strength::Secret),
            "{value}"
        );
    }
    for value in ["changeit", "test1234", "hunter2", "postgres"] {
        assert_eq!(
            quoted("db_password", value),
            Some(Strength::StandIn),
            "{value}"
        );
    }
    for value in [
        "newPassword",
        "Enter the password",
        "${DB_PASSWORD}",
        "<your password>",
        "password-field",
        "user_password",
        "[a-z]{8,}",
        "$2b$12$abcdefghijklmnopqrstuv",
        "ENC[AES256_GCM,data:abc]",
        "os.environ",
        "/run/secrets/db",
        "xxxxxxxx",
        "get_password()",
        "_form3_12_db_password",
        ")[1].split(",
    ] {
        assert_eq!(quoted("db_password", value), None, "{value}");
    }
    for value in ["sunshine", "uplink-token", "next", "x-token", "tokenizer2"] {
        assert_eq!(quoted("auth_token", value), None, "{value}");
    }
    assert_eq!(
        quoted("auth_token", "9f8e2c71-0b4d-4f3a-9d55-1c2b3a4d5e6f"),
        Some(Strength::Secret)
    );
    assert_eq!(
        strength_of("password", "*anchor", Quoting::Bare, true),
        None
    );
    assert_eq!(
        strength_of("password", "sunshine", Quoting::Bare, true),
        Some(Strength::Secret)
    );
    assert_eq!(
        strength_of("password", "password", Quoting::Bare, true),
        Some(Strength::StandIn)
    );
    assert!(read::<Tables>("words of values", packed!("values")).is_ok());
}
