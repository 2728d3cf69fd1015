//! A sample in the place of an environment file: the same keys, comments and order, and no values, so that a colleague
//! knows what to fill in.

use bstr::{BStr, BString, ByteSlice};

/// What the sample of a file is called.
pub fn name(path: &BStr) -> BString {
    [path.as_bytes(), b".example"].concat().into()
}

/// The endings that make a file a sample of the one before them.
const ENDINGS: [&str; 4] = [".example", ".sample", ".template", ".dist"];

/// Whether one of these paths is a sample of that file already, by its name: `.env.example` of `.env` and `.env.local`.
pub fn has_one(path: &BStr, exists: &dyn Fn(&BStr) -> bool) -> bool {
    let name_at = path.rfind_byte(b'/').map_or(0, |slash| slash + 1);
    let stems = path[name_at..].find_iter(".").filter(|dot| *dot > 0).map(|dot| name_at + dot).chain([path.len()]);
    let mut stems = stems.map(|end| path[..end].as_bstr());
    stems.any(|stem| ENDINGS.iter().any(|ending| exists([stem.as_bytes(), ending.as_bytes()].concat().as_bstr())))
}

/// The sample of an environment file's text; nothing if it assigns nothing.
pub fn of(text: &[u8]) -> Option<Vec<u8>> {
    let mut sample = Vec::new();
    let mut assigns = false;
    // The quote that a value of several lines waits for.
    let mut open: Option<u8> = None;
    for line in text.lines_with_terminator() {
        let end = if line.ends_with(b"\r\n") {
            "\r\n"
        } else if line.ends_with(b"\n") {
            "\n"
        } else {
            ""
        };
        if let Some(quote) = open {
            if line.contains(&quote) {
                open = None;
            }
            continue;
        }
        let is_comment = line.trim_start().starts_with(b"#");
        match if is_comment { spoken_of(line) } else { assignment(line) } {
            Some((key, value)) => {
                sample.extend_from_slice(key);
                sample.extend_from_slice(end.as_bytes());
                assigns |= !is_comment;
                let quote = value.trim().first().copied().filter(|first| !is_comment && b"\"'".contains(first));
                open = quote.filter(|quote| !value.trim()[1..].contains(quote));
            }
            // What is neither an assignment nor a comment may be a part of a value.
            None if is_comment || line.trim().is_empty() => sample.extend_from_slice(line),
            None => {}
        }
    }
    assigns.then_some(sample)
}

/// A line's key with all before it and the equals sign, and its value.
fn assignment(line: &[u8]) -> Option<(&[u8], &[u8])> {
    let equals = line.find_byte(b'=')?;
    let name = line[..equals].trim();
    let name = name.strip_prefix(b"export ").unwrap_or(name).trim();
    let is_name = !name.is_empty() && name.iter().all(|byte| byte.is_ascii_alphanumeric() || b"_.-".contains(byte));
    is_name.then(|| line.split_at(equals + 1))
}

/// A comment up to where it may tell a value, such as one that was used once, and the rest.
fn spoken_of(comment: &[u8]) -> Option<(&[u8], &[u8])> {
    let lower = comment.to_ascii_lowercase();
    let is_secret = ["pass", "secret", "token", "key", "credential"].iter().any(|word| lower.contains_str(word));
    let tells = |byte: &u8| *byte == b'=' || is_secret && *byte == b':';
    let at = comment.iter().position(tells)?;
    Some(comment.split_at(at + 1))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn keys_comments_and_order_stay_and_values_go() {
        let text = "# the gateway\n# old password: tide\nexport URL=http://x\nKEY = \"a\nb=2\nc\" \n\n#OLD=gone\nPORT=1 # at home\r\nstray\nLAST='x'";
        let wanted = "# the gateway\n# old password:\nexport URL=\nKEY =\n\n#OLD=\nPORT=\r\nLAST=";
        assert_eq!(of(text.as_bytes()).unwrap().as_bstr(), wanted);
        assert_eq!(of(b"# nothing\n\n"), None);
    }

    #[test]
    fn a_sample_by_any_usual_name_is_known() {
        let there = |path: &BStr| path == "web/.env.sample";
        assert!(has_one("web/.env".into(), &there) && has_one("web/.env.local".into(), &there));
        assert!(!has_one("api/.env".into(), &there));
        assert_eq!(name("web/.env".into()), "web/.env.example");
    }

    proptest! {
        #[test]
        fn no_value_comes_through(key in "[A-Z_]{1,8}", value in "[a-z0-9\"' =#$]{6,20}", before in "[ #\n]{0,3}") {
            let text = format!("{before}{key}={value}\nLAST=1\n");
            let sample = of(text.as_bytes()).map(|sample| String::from_utf8(sample).unwrap()).unwrap_or_default();
            prop_assert!(!sample.contains(&value), "{sample}");
        }
    }
}
