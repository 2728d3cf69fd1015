//! Words as a shell takes them, for commands that are suggested.

use bstr::{BStr, ByteSlice};

/// A path as the shell takes it whole, be it typed or copied, and no option of any command: plain
/// where it can be, else in quotes, and with escapes (POSIX.1-2024, "Dollar-Single-Quotes") where
/// it holds what can't be shown.
pub fn quoted(path: &BStr) -> String {
    let here = if path.starts_with(b"-") { "./" } else { "" };
    match path.to_str() {
        Ok(text)
            if text
                .chars()
                .all(|c| !c.is_control() && (c.is_alphanumeric() || c.is_ascii())) =>
        {
            shell_words::quote(&format!("{here}{text}")).into_owned()
        }
        _ => format!("$'{here}{}'", escaped(path)),
    }
}

fn escaped(path: &BStr) -> String {
    let mut text = String::new();
    for byte in path.iter() {
        match byte {
            b'\'' | b'\\' => text.extend(['\\', char::from(*byte)]),
            0x20..0x7f => text.push(char::from(*byte)),
            other => text.push_str(&format!("\\{other:03o}")),
        }
    }
    text
}

#[cfg(all(test, unix))]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::ffi::OsStr;
    use std::os::unix::ffi::OsStrExt;

    proptest! {
        #![proptest_config(ProptestConfig {
            cases: ProptestConfig::default().cases / 4,
            ..ProptestConfig::default()
        })]

        #[test]
        fn the_shell_reads_back_what_was_quoted(path in prop_oneof![
            proptest::collection::vec(1_u8..=255, 1..12),
            "[-a-z '\"$`;\u{202e}\u{9b}ä\n]{1,12}".prop_map(String::into_bytes),
        ]) {
            let word = quoted(path.as_bstr());
            let typed = [b"printf %s ", word.as_bytes()].concat();
            let mut bash = std::process::Command::new("bash");
            let read = bash.arg("-c").arg(OsStr::from_bytes(&typed)).output().unwrap();
            let here: &[u8] = if path.starts_with(b"-") { b"./" } else { b"" };
            let wanted = [here, &path].concat();
            prop_assert_eq!(read.stdout.as_bstr(), wanted.as_bstr());
        }
    }
}
