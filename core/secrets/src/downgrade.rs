//! What makes a credential harmless, or less than an error: where it is, what it is, where it
//! leads.

use super::formats::Format;
use super::proof::Proof;
use super::randomness::is_random;
use super::value::{Strength, is_mixed, is_numbered_phrase};
use base64::Engine;
use base64::engine::general_purpose::{STANDARD_NO_PAD, URL_SAFE_NO_PAD};
use bstr::{BStr, ByteSlice};
use redshank_rules::PatternSet;
use redshank_rules::RepoPath;
use redshank_tables::{TableError, packed, read};
use serde::Deserialize;
use std::sync::LazyLock;

/// Why a credential is a note.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Downgrade {
    /// It is among tests, or what they are given.
    Test,
    /// It is among examples.
    Example,
    /// It is in documentation.
    Documentation,
    /// It is in documentation, and yet looks like one that is used.
    LooksReal,
    /// Somebody else wrote the file, or a tool put it together.
    Vendored,
    /// A framework's scaffold wrote it, for development only.
    Development,
    /// It is one that everybody tries first, and people write where it doesn't matter.
    StandIn,
    /// It leads to this machine, a private network or a made-up host, and is a weak one.
    Local,
    /// It leads to a private network or a host of one name, but looks like one that is used.
    Nearby,
    /// It is encrypted with a password.
    Encrypted,
    /// It counts no longer: its own date says so.
    Expired,
    /// Its issuer means it to be seen by anybody.
    Publishable,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Places {
    given: PatternSet,
    tests: PatternSet,
    examples: PatternSet,
    documentation: PatternSet,
    vendored: PatternSet,
    development: PatternSet,
}

static PLACES: LazyLock<Result<Places, TableError>> =
    LazyLock::new(|| read("places of secrets", packed!("places")));

/// What is known of a credential's surroundings.
pub(super) struct Surroundings<'t> {
    pub(super) path: &'t RepoPath,
    /// What was read of it, and where the credential is there, and its secret part.
    pub(super) text: &'t [u8],
    pub(super) start: usize,
    pub(super) secret: &'t [u8],
    /// Where it leads, if that is known.
    pub(super) host: Option<&'t [u8]>,
    /// The login beside it.
    pub(super) login: Option<&'t [u8]>,
}

/// Whether the start of a key names a cipher (OpenSSH's PROTOCOL.key): an unencrypted one says
/// `none`.
fn is_encrypted_by_openssh(value: &[u8]) -> bool {
    let bytes = STANDARD_NO_PAD.decode(&value[..value.len() / 4 * 4]);
    bytes.is_ok_and(|bytes| {
        let cipher = bytes.strip_prefix(b"openssh-key-v1\0");
        cipher.is_some_and(|cipher| !cipher.starts_with(b"\0\0\0\x04none"))
    })
}

/// Why a credential is a note; nothing if it isn't.
pub(super) fn downgrade(
    format: &Format,
    strength: Strength,
    around: &Surroundings,
) -> Option<Downgrade> {
    if format.proof == Proof::Crc32Base62 {
        return None;
    }
    let value = around.secret;
    if format.proof == Proof::JsonWebToken
        && let Some(downgrade) = of_token(value)
    {
        return Some(downgrade);
    }
    let before = &around.text[around.start.saturating_sub(600)..around.start];
    let behind = &around.text[around.start..around.text.len().min(around.start + 900)];
    let says_so = behind[..behind.len().min(200)].contains_str("ENCRYPTED");
    if format.is_armour && (says_so || is_encrypted_by_openssh(value)) {
        return Some(Downgrade::Encrypted);
    }
    let for_browsers = [
        &b"authDomain"[..],
        b"messagingSenderId",
        b"mobilesdk_app_id",
        b"GOOGLE_APP_ID",
        b"maps/api/js",
        b"maps.googleapis",
    ];
    if format.is_client_key
        && for_browsers
            .iter()
            .any(|mark| before.contains_str(mark) || behind.contains_str(mark))
    {
        return Some(Downgrade::Publishable);
    }
    if value.starts_with(b"pk.") || value.starts_with(b"pk_") {
        return Some(Downgrade::Publishable);
    }
    if value.starts_with(b"django-insecure-") {
        return Some(Downgrade::Development);
    }
    if strength == Strength::StandIn
        || around
            .login
            .is_some_and(|login| login.eq_ignore_ascii_case(value))
        || is_login_above(before, value)
    {
        return Some(Downgrade::StandIn);
    }
    if around.host.is_some_and(is_made_up)
        || around.host.is_some_and(is_near) && !(is_mixed(value) && value.len() >= 12)
    {
        let is_of_network = around
            .host
            .is_some_and(|host| is_near(host) && !is_here(host));
        if by_place(around.path).is_none() && is_of_network && looks_real(value) {
            return Some(Downgrade::Nearby);
        }
        return Some(Downgrade::Local);
    }
    let by_path = by_place(around.path);
    let place = by_path.or_else(|| in_source(around));
    // A token of an issuer's form works wherever it is read.
    if format.is_issued {
        return by_path.filter(|downgrade| *downgrade == Downgrade::Example);
    }
    place.map(|downgrade| match downgrade {
        Downgrade::Documentation
            if by_path.is_some() && format.is_made_by_people() && looks_real(value) =>
        {
            Downgrade::LooksReal
        }
        _ => downgrade,
    })
}

/// Whether a value in documentation is mixed as those that people make up for it are not.
fn looks_real(value: &[u8]) -> bool {
    let count = |kind: fn(&u8) -> bool| value.iter().filter(|byte| kind(byte)).count();
    let digits = count(u8::is_ascii_digit);
    let signs = count(|byte| b"!@#$%^&*+=?~_.-".contains(byte));
    let cases = count(u8::is_ascii_lowercase) > 0 && count(u8::is_ascii_uppercase) > 0;
    let is_chosen = digits >= 2 && (cases || signs > 0 && digits < value.len() / 2)
        || digits >= 1 && cases && (signs >= 2 || value.len() >= LONG_CHOSEN);
    value.len() >= LONG_REAL && is_random(value)
        || value.len() >= LEAST_REAL && is_mixed(value) && is_chosen
        || is_numbered_phrase(value)
}

/// A shorter value in documentation is made up, as far as one can tell.
const LEAST_REAL: usize = 8;

/// So long a one with both cases and a digit isn't made up for a page.
const LONG_CHOSEN: usize = 12;

/// So long a one, if a machine made it, was copied from somewhere.
const LONG_REAL: usize = 32;

/// Whether a word for a password is the name of the user or the database on one of the lines above,
/// too: how anyone who starts a project has it run on their own machine.
fn is_login_above(before: &[u8], value: &[u8]) -> bool {
    let is_word = value.len() >= 3 && value.iter().all(u8::is_ascii_alphabetic);
    is_word
        && before.rsplit_str("\n").skip(1).take(6).any(|line| {
            let lower = line.to_ascii_lowercase();
            let names = ["user", "login", "database", "db"];
            let line = line.trim_end_with(|sign| !sign.is_alphanumeric());
            let last = line
                .rsplit(|byte| !(byte.is_ascii_alphanumeric() || b"-_".contains(byte)))
                .next();
            last == Some(value) && names.iter().any(|name| lower.contains_str(name))
        })
}

/// What a file's place says, by its path.
pub fn by_place(path: &RepoPath) -> Option<Downgrade> {
    let places = PLACES.as_ref().ok()?;
    let of = [
        (&places.tests, Downgrade::Test),
        (&places.examples, Downgrade::Example),
        (&places.documentation, Downgrade::Documentation),
        (&places.vendored, Downgrade::Vendored),
        (&places.development, Downgrade::Development),
    ];
    of.into_iter()
        .find(|(set, _)| path.parts().any(|part| set.has(part)))
        .map(|(_, downgrade)| downgrade)
}

/// Whether somebody put what is there on purpose, whatever it looks like: it is what tests are
/// given.
pub fn is_fixture(path: &RepoPath) -> bool {
    let places = PLACES.as_ref();
    places.is_ok_and(|places| path.parts().any(|part| places.given.has(part)))
}

/// What the place inside a source says: among its tests, or in its documentation.
pub(super) fn in_source(around: &Surroundings) -> Option<Downgrade> {
    let before = &around.text[..around.start];
    let line = before
        .rsplit_str("\n")
        .next()
        .unwrap_or_default()
        .trim_start();
    if ["e.g.", "i.e.", "for example", "Example:", "example:"]
        .iter()
        .any(|mark| line.contains_str(mark))
    {
        return Some(Downgrade::Example);
    }
    // A file of settings that are all taken out shows what could be set.
    let is_macro = line.starts_with(b"#define");
    if (line.starts_with(b"#") || line.starts_with(b";"))
        && !is_macro
        && around.text.lines().all(|line: &[u8]| {
            let line = line.trim_start();
            line.is_empty()
                || line.starts_with(b"#")
                || line.starts_with(b";")
                || line.starts_with(b"//")
        })
    {
        return Some(Downgrade::Example);
    }
    let extension = around.path.extension().unwrap_or_default();
    let documents = [&b"///"[..], b"//!", b"* ", b"/**", b">>>", b"#'"];
    if documents.iter().any(|mark| line.starts_with(mark)) {
        return Some(Downgrade::Documentation);
    }
    match extension.as_bytes() {
        b".rs"
            if before.contains_str("#[cfg(test)]")
                || before.contains_str("#[test]")
                || before.contains_str("::test]") =>
        {
            Some(Downgrade::Test)
        }
        b".py" | b".pyi" if before.find_iter("\"\"\"").count() % 2 == 1 && !is_assigned(before) => {
            Some(Downgrade::Documentation)
        }
        _ => None,
    }
}

/// Whether the text in three quotes that is open at the end is given to something.
fn is_assigned(before: &[u8]) -> bool {
    let opens = before.rfind("\"\"\"").unwrap_or_default();
    let head = before[..opens].trim_end_with(|sign| "brfuBRFU \\".contains(sign));
    matches!(head.last(), Some(b'=' | b'(' | b',' | b':'))
}

/// What a token says of itself.
fn of_token(token: &[u8]) -> Option<Downgrade> {
    let payload = token.split_str(".").nth(1)?;
    let payload: serde_json::Value =
        serde_json::from_slice(&URL_SAFE_NO_PAD.decode(payload).ok()?).ok()?;
    let now = jiff::Timestamp::now().as_second();
    if payload
        .get("exp")
        .and_then(serde_json::Value::as_i64)
        .is_some_and(|end| end < now)
    {
        return Some(Downgrade::Expired);
    }
    let is = |key: &str, wanted: &str| {
        payload.get(key).and_then(serde_json::Value::as_str) == Some(wanted)
    };
    if is("role", "anon") {
        return Some(Downgrade::Publishable);
    }
    // The one that the makers of the standard show.
    (is("sub", "1234567890") || is("name", "John Doe") || is("iss", "joe"))
        .then_some(Downgrade::StandIn)
}

/// Whether a host exists in documentation only.
fn is_made_up(host: &[u8]) -> bool {
    let host = bare(host).to_ascii_lowercase();
    let ends = [
        &b".example"[..],
        b".example.com",
        b".example.org",
        b".example.net",
        b".test",
        b".invalid",
        b"example.com",
        b"example.org",
        b"example.net",
        b".foo",
        b".bar",
    ];
    ends.iter().any(|end| host.ends_with(end))
        || [
            &b"host"[..],
            b"hostname",
            b"server",
            b"ip",
            b"example",
            b"domain",
            b"domain.com",
            b"h",
            b"foo",
            b"foo.com",
            b"bar.com",
        ]
        .contains(&host.as_slice())
}

/// Whether a host is this machine, one beside it, or in a private network.
fn is_near(host: &[u8]) -> bool {
    let host = bare(host).to_ascii_lowercase();
    let host = BStr::new(&host);
    let starts = [
        &b"127."[..],
        b"10.",
        b"192.168.",
        b"0.0.0.0",
        b"[",
        b"169.254.",
    ];
    let is_private = starts.iter().any(|start| host.starts_with(start))
        || (16..32).any(|second| host.starts_with(format!("172.{second}.").as_bytes()));
    let ends = [
        &b".local"[..],
        b".localhost",
        b".internal",
        b".lan",
        b".localdomain",
    ];
    // A name without a dot is one of a network of containers.
    let is_open = host.starts_with(b"{") || host.starts_with(b"$");
    !is_open && (is_private || !host.contains(&b'.') || ends.iter().any(|end| host.ends_with(end)))
}

/// Whether a host is this machine.
fn is_here(host: &[u8]) -> bool {
    let host = bare(host).to_ascii_lowercase();
    let starts = [&b"127."[..], b"0.0.0.0", b"[", b"localhost", b"."];
    host.is_empty() || starts.iter().any(|start| host.starts_with(start))
}

fn bare(host: &[u8]) -> &[u8] {
    let end = host.iter().position(|byte| b":/?\"' ,;)".contains(byte));
    &host[..end.unwrap_or(host.len())]
}
