//! Commands whose words are variables of the same text: `rm -rf $(OUT)`, `mkdir "$OUT"`.

use super::{Said, commands};
use bstr::ByteSlice;
use std::collections::HashMap;

/// Reads the commands of each line that names a variable, with the values put in.
pub(super) fn read_with_values(text: &[u8], said: &mut Vec<Said>) {
    let mut values: HashMap<&[u8], &[u8]> = HashMap::new();
    let mut at = 0;
    for line in text.lines_with_terminator() {
        let start = at;
        at += line.len();
        if let Some((name, value)) = assignment(line.trim_end()) {
            values.insert(name, value);
        } else if line.contains(&b'$')
            && let Some(line) = with_values(line, &values)
        {
            let mut here = Vec::new();
            commands::read(&line, &mut here);
            said.extend(here.into_iter().map(|one| Said { at: start, ..one }));
            // In a rule for a type, what is written for each file.
            if let Some((_, what)) = line.split_once_str("> *.") {
                let ending = what.split(|byte| !byte.is_ascii_alphanumeric()).next();
                said.extend(ending.map(|ending| Said {
                    what: [b"*.", ending].concat(),
                    at: start,
                    row: "redirected",
                }));
            }
        }
    }
}

/// A variable that stands for one word.
fn assignment(line: &[u8]) -> Option<(&[u8], &[u8])> {
    let equals = line.find_byte(b'=')?;
    let name = line[..equals].trim_end_with(|sign| matches!(sign, ':' | '?' | ' '));
    let name = name.strip_prefix(b"export ").unwrap_or(name);
    let value = line[equals + 1..].trim();
    let value = value.trim_with(|sign| matches!(sign, '"' | '\''));
    let is_name = !name.is_empty()
        && name
            .iter()
            .all(|byte| byte.is_ascii_alphanumeric() || *byte == b'_');
    let is_word = !value.is_empty() && !value.iter().any(|byte| b" \t$`(".contains(byte));
    (is_name && is_word).then_some((name, value))
}

/// A line with its variables put in; nothing if none of them is known. In a rule for a type, its
/// stem may be anything.
fn with_values(line: &[u8], values: &HashMap<&[u8], &[u8]>) -> Option<Vec<u8>> {
    let mut text = Vec::with_capacity(line.len());
    let mut rest = line;
    let mut is_changed = false;
    while let Some(at) = rest.find_byte(b'$') {
        text.extend(&rest[..at]);
        let after = &rest[at + 1..];
        let (name, end) = match after.first() {
            Some(b'(' | b'{') => {
                let end = after.find_byteset(b")}").unwrap_or(after.len() - 1);
                (&after[1..end.max(1)], end + 1)
            }
            _ => {
                let end = after
                    .iter()
                    .take_while(|byte| byte.is_ascii_alphanumeric() || **byte == b'_')
                    .count();
                (&after[..end], end)
            }
        };
        if let Some(value) = values.get(name) {
            text.extend(*value);
            is_changed = true;
            rest = &after[end..];
        } else if after.starts_with(b"*") {
            text.push(b'*');
            is_changed = true;
            rest = &after[1..];
        } else {
            text.push(b'$');
            rest = after;
        }
    }
    text.extend(rest);
    is_changed.then_some(text)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_values_of_variables_are_put_in() {
        for (text, what, row) in [
            (
                "OUT := made\nall:\n\tmkdir -p $(OUT)\n",
                "made",
                "folder-made",
            ),
            (
                "OUT=\"made\"\nrm -rf \"${OUT}/html\"\n",
                "made/html",
                "removed",
            ),
            (
                "OUT=made\ntides > $OUT/levels.csv\n",
                "made/levels.csv",
                "redirected",
            ),
            ("%.wasm: %.wat\n\tlist $@ > $*.dis\n", "*.dis", "redirected"),
        ] {
            let mut said = Vec::new();
            read_with_values(text.as_bytes(), &mut said);
            let found = said
                .iter()
                .any(|one| one.what == what.as_bytes() && one.row == row);
            assert!(found, "{text}");
        }
    }
}
