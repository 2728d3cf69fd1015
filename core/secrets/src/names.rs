//! What a name says of its value.

use bstr::ByteSlice;
use foldhash::fast::FixedState;
use redshank_tables::{TableError, packed, read};
use serde::Deserialize;
use std::collections::HashSet;
use std::sync::LazyLock;

/// How surely a name says that its value is secret.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum NameKind {
    /// It mostly means other things: only what no person would type counts.
    Hint,
    /// It may mean other things, too.
    Maybe,
    /// It means a password.
    Password,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Table {
    certain: Words,
    telling: Words,
    key: Words,
    before_key: Words,
    behind: Words,
    harmless: Words,
    open_token: Words,
    open_key: Words,
    parts: Words,
    before_pass: Words,
    not_pass: Words,
}

/// Words, as a text with spaces between.
#[derive(Deserialize, Default)]
#[serde(from = "String")]
pub(super) struct Words(HashSet<String, FixedState>);

impl From<String> for Words {
    fn from(text: String) -> Self {
        Self(text.split_whitespace().map(str::to_owned).collect())
    }
}

impl Words {
    pub(super) fn has(&self, word: impl AsRef<[u8]>) -> bool {
        word.as_ref()
            .to_str()
            .is_ok_and(|word| self.0.contains(word))
    }
}

static TABLE: LazyLock<Result<Table, TableError>> =
    LazyLock::new(|| read("names of secrets", packed!("names")));

/// Parts of names that are secret: where one is, a name is looked at.
pub(super) fn keywords() -> Vec<String> {
    let Ok(table) = &*TABLE else {
        return Vec::new();
    };
    // Too short to be looked for alone: with what is behind.
    let spelt_out = [
        "pw=", "pw:", "pw\"", "pw'", "pw ", "pin=", "pin:", "pin\"", "pin'", "pin ",
    ];
    let joined = [
        "api_key",
        "api-key",
        "api key",
        "_key",
        "-key",
        "key =",
        "key=",
        "key:",
        "key\"",
        "key'",
        "secret key",
        "secret_key",
        "secret-key",
        "access key",
        "cle_api",
        "clé_api",
        "parola_chiave",
        "e_cookie",
        "g_cookie",
    ];
    let of_keys = table.before_key.0.iter().flat_map(|before| {
        // With a sign between, they are found by that: `_key`.
        std::iter::once(format!("{before}key"))
    });
    let foreign = table
        .key
        .0
        .iter()
        .filter(|word| (word.len() > 3 && *word != "keys") || !word.is_ascii());
    let words = table
        .certain
        .0
        .iter()
        .chain(&table.telling.0)
        .chain(foreign);
    let words = words
        .filter(|word| word.len() > 2 && *word != "pin")
        .cloned();
    let mut all: Vec<String> = words.chain(of_keys).collect();
    let capitals = all
        .iter()
        .filter(|word| !word.is_ascii())
        .map(|word| word.to_uppercase());
    let capitals: Vec<String> = capitals.collect();
    all.extend(capitals);
    all.extend(
        spelt_out
            .iter()
            .chain(&joined)
            .map(|word| (*word).to_owned()),
    );
    // One that holds another is found by that.
    let known: HashSet<&[u8], FixedState> = all.iter().map(String::as_bytes).collect();
    let least = all.iter().map(String::len).min().unwrap_or(0);
    let holds_other = |word: &String| {
        let mut lengths = least..word.len();
        lengths.any(|length| {
            word.as_bytes()
                .windows(length)
                .any(|part| known.contains(part))
        })
    };
    let mut shortest: Vec<String> = all
        .iter()
        .filter(|word| !holds_other(word))
        .cloned()
        .collect();
    shortest.sort();
    shortest.dedup();
    shortest
}

/// What a name says of its value; nothing of most.
pub(super) fn kind_of(name: &[u8]) -> Option<NameKind> {
    let table = TABLE.as_ref().ok()?;
    let mut words = words(name);
    let is_salt = words.last().is_some_and(|last| last == "salt");
    if !is_salt && words.iter().any(|word| table.harmless.has(word)) {
        return None;
    }
    while words.len() > 1
        && words.last().is_some_and(|word| {
            table.behind.has(word) || word.bytes().all(|byte| byte.is_ascii_digit())
        })
    {
        words.pop();
    }
    let last = words.last()?;
    let last = last.trim_end_matches(|c: char| c.is_ascii_digit());
    let before = words.iter().rev().nth(1).map_or("", String::as_str);
    let two = format!("{before}{last}");
    if table.certain.has(last) || words.len() > 1 && table.certain.has(&two) {
        return Some(NameKind::Password);
    }
    let of_three = words
        .iter()
        .rev()
        .take(3)
        .rev()
        .map(String::as_str)
        .collect::<String>();
    if table.certain.has(&of_three) {
        return Some(NameKind::Password);
    }
    let ends_in_password = ["password", "passwort", "passwd", "passphrase", "passwrd"];
    if ends_in_password.iter().any(|end| last.ends_with(end)) {
        return Some(NameKind::Password);
    }
    let of_pass = |stem: &str| table.before_pass.has(stem);
    if last == "pass" && of_pass(before) || last.strip_suffix("pass").is_some_and(of_pass) {
        return Some(NameKind::Password);
    }
    if last == "token" && table.open_token.has(before) {
        return None;
    }
    let is_several = ["tokens", "secrets", "passwords"].contains(&last);
    let is_ones_own = ["api", "access", "auth", "bot", "deploy", "refresh"].contains(&before);
    if is_several && (words.len() == 1 || is_ones_own) {
        return Some(NameKind::Maybe);
    }
    let is_key = table.key.has(last) && table.before_key.has(before);
    let ends_in_key = |last: &str| {
        let stem = last.strip_suffix("key").unwrap_or_default();
        stem.len() > 2 && table.before_key.has(stem)
    };
    let is_telling =
        table.telling.has(last) || table.telling.has(&two) || table.telling.has(&of_three);
    let ends_in_pass = last.len() > 4
        && last.ends_with("pass")
        && !table
            .not_pass
            .0
            .iter()
            .any(|word| last.ends_with(word.as_str()));
    let ends_in_token = ["token", "secret", "apikey"]
        .iter()
        .any(|end| last.len() > end.len() && last.ends_with(end));
    if is_key || ends_in_key(last) || is_telling || ends_in_pass || ends_in_token {
        return Some(NameKind::Maybe);
    }
    let is_any_key = table.key.has(last) || last.ends_with("key");
    let is_known_key =
        table.open_key.has(before) || words.iter().any(|word| table.open_key.has(word));
    (is_any_key && !is_known_key).then_some(NameKind::Hint)
}

/// Whether a word means a password, in any language.
pub(super) fn is_password_word(word: &str) -> bool {
    word.len() > 4 && TABLE.as_ref().is_ok_and(|table| table.certain.has(word))
}

/// Whether what has such a word in its name holds secrets.
pub(super) fn is_part_of_secrets(word: &str) -> bool {
    TABLE.as_ref().is_ok_and(|table| table.parts.has(word))
}

/// Whether a word alone says that something is secret, or belongs to such a word.
pub(super) fn is_secret_word(word: &str) -> bool {
    TABLE.as_ref().is_ok_and(|table| {
        let of_key = table.key.has(word) || table.before_key.has(word);
        table.certain.has(word) || table.telling.has(word) || of_key || table.before_pass.has(word)
    })
}

/// The words of a name in any of the usual spellings, in small letters.
pub(super) fn words(name: &[u8]) -> Vec<String> {
    let name = String::from_utf8_lossy(name);
    let signs: Vec<char> = name.chars().collect();
    let mut words = vec![String::new()];
    let mut before = '_';
    for (at, sign) in signs.iter().copied().enumerate() {
        let next_is_small = signs.get(at + 1).is_some_and(|next| next.is_lowercase());
        let starts = sign.is_uppercase()
            && (before.is_lowercase() || before.is_uppercase() && next_is_small);
        if !sign.is_alphanumeric() || starts {
            words.push(String::new());
        }
        if let (true, Some(word)) = (sign.is_alphanumeric(), words.last_mut()) {
            word.extend(sign.to_lowercase());
        }
        before = sign;
    }
    words.retain(|word| !word.is_empty());
    words
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_say_what_they_say_in_any_spelling_and_language() {
        let certain = [
            "password",
            "dbPassword",
            "DB_PASSWORD_1",
            "smtp-passwd",
            "rootPw",
            "contraseña",
            "mot_de_passe",
            "пароль",
            "密码",
            "requirepass",
            "DATABASE_PASSWORD_PROD",
            "userpassword",
            "Kennwort",
            "dbpass",
            "MQTT_PASS",
        ];
        for name in certain {
            assert_eq!(kind_of(name.as_bytes()), Some(NameKind::Password), "{name}");
        }
        let maybe = [
            "apiKey",
            "API_KEY",
            "SECRET_KEY_BASE",
            "authToken",
            "pass",
            "AUTH_SALT",
            "clientSecret",
            "wifi_psk",
            "accesskey",
            "pin",
        ];
        for name in maybe {
            assert_eq!(kind_of(name.as_bytes()), Some(NameKind::Maybe), "{name}");
        }
        let nothing = [
            "password_field",
            "tokenizer",
            "nextToken",
            "publicKey",
            "passwordHash",
            "resetPassword",
            "bypass",
            "max_tokens",
            "clientToken",
            "cacheKey",
            "keyboard",
            "compass",
            "token_type",
            "passed",
            "secretName",
        ];
        for name in nothing {
            assert_eq!(kind_of(name.as_bytes()), None, "{name}");
        }
    }
}
