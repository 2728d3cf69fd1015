//! Environment files of one mode, which frameworks want shared.

use bstr::ByteSlice;
use redshank_rules::RepoPath;

/// `.env.production` and the like: the environment of one mode, not of one person.
pub(crate) fn is_of_a_mode(path: &RepoPath) -> bool {
    let modes = [
        "development",
        "production",
        "test",
        "testing",
        "staging",
        "ci",
        "defaults",
        "dev",
        "prod",
    ];
    let mode = path.name().strip_prefix(b".env.");
    mode.is_some_and(|mode| modes.iter().any(|known| mode == known.as_bytes()))
}

/// Whether such a file is shared: Vite, Next.js and Create React App say so, as long as nothing
/// secret is in it.
pub(crate) fn is_shared(text: &[u8]) -> bool {
    !text.is_empty() && !text.lines().any(may_be_secret)
}

/// Whether a line of an environment file may give something secret a value.
fn may_be_secret(line: &[u8]) -> bool {
    let line = line.trim().strip_prefix(b"export ").unwrap_or(line.trim());
    let Some((key, value)) = line.split_once_str("=").filter(|_| !line.starts_with(b"#")) else {
        return false;
    };
    let value = value.trim().trim_with(|c| c == '"' || c == '\'');
    let key = key.to_ascii_uppercase();
    let is_public = [
        "VITE_",
        "NEXT_PUBLIC_",
        "REACT_APP_",
        "PUBLIC_",
        "NUXT_PUBLIC_",
        "EXPO_PUBLIC_",
        "GATSBY_",
        "VUE_APP_",
    ];
    let is_for_pages = is_public
        .iter()
        .any(|start| key.starts_with(start.as_bytes()));
    let words = [
        "SECRET",
        "PASS",
        "TOKEN",
        "PRIVATE",
        "CREDENTIAL",
        "KEY",
        "AUTH",
        "DSN",
        "SALT",
        "CERT",
    ];
    let names_secret = words.iter().any(|word| key.contains_str(word)) && !is_for_pages;
    let has_account = value.contains_str("://") && value.contains_str("@");
    let kinds = [u8::is_ascii_digit, u8::is_ascii_alphabetic];
    let is_random = value.len() >= 24
        && kinds.iter().all(|is_of| value.iter().any(is_of))
        && value
            .iter()
            .all(|byte| byte.is_ascii_alphanumeric() || b"-_+/=.".contains(byte));
    !value.is_empty() && (names_secret || has_account || is_random)
}
