//! What a value is that stands for another one: a label, a path, an address, a call, a member, a
//! hash.

use super::stand_in::tables;
use super::{is_long_mix, names, words};
use bstr::ByteSlice;

/// Whether it mentions a password instead of being one: a label, a message, a name of a field.
pub(super) fn is_label(value: &[u8]) -> bool {
    words(value)
        .iter()
        .any(|word| tables().labels.has(word.as_bytes()) || names::is_password_word(word))
}

/// Whether it refers to a value elsewhere.
pub(crate) fn is_reference(value: &[u8], is_quoted: bool) -> bool {
    let Some(first) = value.first() else {
        return true;
    };
    let is_name = |part: &[u8]| {
        !part.is_empty()
            && part
                .iter()
                .all(|byte| byte.is_ascii_alphanumeric() || b"_.-:/".contains(byte))
    };
    let rest = &value[1..];
    let ends = |sign: u8| rest.last() == Some(&sign);
    let whole = match first {
        b'$' => {
            is_name(rest) && !rest.iter().any(|byte| byte.is_ascii_digit())
                || is_name(rest) && rest.len() < 6
                || rest
                    .iter()
                    .all(|byte| byte.is_ascii_uppercase() || byte.is_ascii_digit() || *byte == b'_')
        }
        b'<' => ends(b'>'),
        b'{' => ends(b'}'),
        b'[' => ends(b']') && (!is_quoted || is_name(&rest[..rest.len() - 1])),
        b'%' => ends(b'%') || rest.len() < 3 || rest.starts_with(b"(") || rest.starts_with(b"{"),
        b'@' => {
            ends(b'@')
                || is_name(rest) && rest.iter().all(|byte| !byte.is_ascii_digit()) && !is_quoted
        }
        b'_' => value.starts_with(b"__") && value.ends_with(b"__"),
        b'&' | b'*' => !is_quoted && is_name(rest),
        b'!' => {
            !is_quoted
                && rest.first().is_some_and(u8::is_ascii_alphabetic)
                && rest.split(|byte| *byte == b' ').next().is_some_and(|tag| {
                    tag.iter()
                        .all(|byte| byte.is_ascii_alphabetic() || b":/!.".contains(byte))
                })
        }
        b'(' => !is_quoted && ends(b')'),
        _ => false,
    };
    whole || value.iter().all(|byte| byte == first) || tables().references.is_match(value) || {
        let lower = value.to_ascii_lowercase();
        tables()
            .elsewhere
            .iter()
            .any(|start| lower.starts_with(start.as_bytes()))
    }
}

/// Whether a tool encrypted it, or it is the hash of one.
pub(super) fn is_protected(value: &[u8]) -> bool {
    let mut marks = tables().protected.iter();
    let is_long = value.len() > 20 || value.starts_with(b"ENC") || value.starts_with(b"{cipher}");
    is_long && marks.any(|mark| value.starts_with(mark.as_bytes()))
}

/// Whether it tells how values look: a regular expression, a range, a format.
pub(super) fn is_form(value: &[u8]) -> bool {
    tables().forms.is_match(value)
}

/// Whether it is a path, an address, a call or a member of something.
pub(super) fn is_place(value: &[u8]) -> bool {
    let is_path = [
        &b"/"[..],
        b"./",
        b"../",
        b"~/",
        b"~\\",
        b"C:\\",
        b"c:\\",
        b"\\\\",
    ]
    .iter()
    .any(|start| value.starts_with(start))
        && !is_long_mix(value)
        || value.starts_with(b"/") && value.iter().filter(|byte| **byte == b'/').count() > 1;
    let is_address = value.contains_str("://")
        || value.starts_with(b"www.")
        || value.starts_with(b"mailto:")
        || value.starts_with(b"data:")
        || value.starts_with(b"urn:");
    let is_call = value.ends_with(b")")
        && value
            .iter()
            .position(|byte| *byte == b'(')
            .is_some_and(|at| {
                at > 0
                    && value[..at]
                        .iter()
                        .all(|byte| byte.is_ascii_alphanumeric() || b"_.:".contains(byte))
            })
        || value.ends_with(b"()")
        || value.contains_str("::")
        || value.contains_str("->")
        || value.contains_str("=>");
    let parts: Vec<&[u8]> = value.split(|byte| b".:".contains(byte)).collect();
    let is_member = parts.len() > 1
        && parts.iter().all(|part| {
            !part.is_empty()
                && part
                    .iter()
                    .all(|byte| byte.is_ascii_alphabetic() || *byte == b'_' || *byte == b'-')
        })
        || parts.len() > 2
            && parts.iter().all(|part| {
                part.first().is_some_and(u8::is_ascii_lowercase)
                    && part.iter().all(|byte| {
                        byte.is_ascii_lowercase() || byte.is_ascii_digit() || *byte == b'_'
                    })
            });
    let is_file = parts.len() > 1 && parts.last().is_some_and(|last| tables().files.has(last));
    let is_slashed = value
        .split(|byte| *byte == b'/')
        .filter(|part| {
            part.len() > 1
                && part
                    .iter()
                    .all(|byte| byte.is_ascii_lowercase() || b"-_.".contains(byte))
        })
        .count()
        > 1;
    // package.module:Attribute
    let is_entry = value
        .split_once_str(":")
        .is_some_and(|(module, attribute)| {
            let is_name = |byte: &u8| byte.is_ascii_alphanumeric() || *byte == b'_';
            let is_dotted =
                module.contains(&b'.') && module.iter().all(|byte| is_name(byte) || *byte == b'.');
            is_dotted
                && attribute.first().is_some_and(u8::is_ascii_alphabetic)
                && attribute.iter().all(is_name)
        });
    // action='store'
    let is_argument = value.strip_suffix(b"=").is_some_and(|name| {
        name.iter()
            .all(|byte| byte.is_ascii_lowercase() || *byte == b'_')
    });
    is_entry
        || is_argument
        || is_path
        || is_address
        || is_call
        || is_member
        || is_file
        || is_slashed
}
