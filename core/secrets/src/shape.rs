//! What a text is by its lines, where its name doesn't tell.

use bstr::ByteSlice;

/// So many lines tell what a text is.
const LINES: usize = 200;

/// So many bytes, at most.
const START: usize = 32 << 10;

/// Of so many lines, one may be of another kind.
const EXCEPTIONS: usize = 8;

/// A setting has no more words than this where nothing stands between its name and its value.
const WORDS: usize = 8;

/// Whether nearly all lines of a text give a value to a name, head a section or are a comment.
pub(super) fn is_settings(text: &[u8]) -> bool {
    let start = &text[..text.len().min(START)];
    let (mut settings, mut others, mut assigned) = (0, 0, 0);
    for line in start.lines().take(LINES) {
        match kind_of(line.trim_ascii()) {
            Line::Nothing => {}
            Line::Assignment => {
                settings += 1;
                assigned += 1;
            }
            Line::Words => settings += 1,
            Line::Other => others += 1,
        }
    }
    // Words alone are what lists and prose are made of as well.
    let is_plain = assigned * 4 >= settings || settings >= 3 && others == 0;
    settings > 0 && others * EXCEPTIONS <= settings && is_plain
}

/// A line of a text.
enum Line {
    /// Nothing, a comment, the head or the end of a section.
    Nothing,
    /// `name = value`, `name: value`.
    Assignment,
    /// A name and words.
    Words,
    Other,
}

fn kind_of(line: &[u8]) -> Line {
    let comments = [&b"#"[..], b";", b"//", b"--", b"!", b"<!--", b"%"];
    let is_section = line.starts_with(b"[") && line.ends_with(b"]");
    let is_brace = line.iter().all(|byte| b"{}[]();,".contains(byte));
    if is_section || is_brace || comments.iter().any(|mark| line.starts_with(mark)) {
        return Line::Nothing;
    }
    let line = line.strip_prefix(b"- ").unwrap_or(line);
    let is_part =
        |byte: &u8| byte.is_ascii_alphanumeric() || b"_.-$/\"'".contains(byte) || *byte >= 0x80;
    let name = line.iter().take_while(|byte| is_part(byte)).count();
    let behind = line[name..].trim_ascii_start();
    let gives = [&b"="[..], b":", b"?=", b"+="];
    if name == 0 || name > 60 {
        return Line::Other;
    }
    if gives.iter().any(|sign| behind.starts_with(sign)) && !behind.starts_with(b"==") {
        // What is called or goes on is code.
        let is_code = line.ends_with(b"{") && !behind.starts_with(b":")
            || behind.starts_with(b":=")
            || line.ends_with(b");");
        return if is_code {
            Line::Other
        } else {
            Line::Assignment
        };
    }
    let words = line.fields();
    let mut words = words.take(WORDS + 1);
    let is_plain = words
        .by_ref()
        .all(|word: &[u8]| !word.is_empty() && !word.ends_with(b".") && !word.ends_with(b","))
        && line.fields().count() <= WORDS;
    let is_called = line.contains_str("();") || line.ends_with(b");");
    if is_plain && !is_called {
        Line::Words
    } else {
        Line::Other
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn settings_are_told_from_prose_and_code() {
        let settings = [
            "host = a\nuser = b\n\n[part]\nretries = 3\n",
            "# a router\nhostname edge\nusername admin\nsnmp-server community x RO\n",
            "user: nia\nnames:\n- name: a\n",
        ];
        for text in settings {
            assert!(is_settings(text.as_bytes()), "{text}");
        }
        let others = [
            "",
            "The station is read once an hour, and its keeper knows.\nNobody else is.\n",
            "int main(void) {\n  puts(\"x\");\n  return 0;\n}\n",
            "fn main() {\n    let x = 1;\n    run(x);\n}\n",
        ];
        for text in others {
            assert!(!is_settings(text.as_bytes()), "{text}");
        }
    }
}
