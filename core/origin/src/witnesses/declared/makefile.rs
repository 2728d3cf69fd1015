//! Build files in the form of make and ninja: what their rules make.

use super::Said;
use bstr::ByteSlice;
use redshank_rules::{PatternSet, RepoPath};
use std::collections::{HashMap, HashSet};
use std::sync::LazyLock;

static MAKEFILES: LazyLock<PatternSet> = LazyLock::new(|| {
    [
        "Makefile*",
        "makefile*",
        "GNUmakefile",
        "*.mk",
        "*.mak",
        "!*.in",
        "!*.am",
    ]
    .map(str::to_owned)
    .to_vec()
    .into()
});

pub(super) fn is_makefile(path: &RepoPath) -> bool {
    MAKEFILES.has(path)
}

/// How often variables in variables are put in.
const DEPTH: usize = 4;

pub(super) fn read(text: &[u8], said: &mut Vec<Said>) {
    let mut variables: HashMap<&[u8], Vec<u8>> = HashMap::new();
    let mut phony: HashSet<Vec<u8>> = HashSet::new();
    let mut targets = Vec::new();
    let mut at = 0;
    let mut lines = text.lines_with_terminator().peekable();
    while let Some(line) = lines.next() {
        let start = at;
        at += line.len();
        let line = line.trim_end();
        if line.starts_with(b"\t") || line.starts_with(b"#") || line.is_empty() {
            continue;
        }
        if let Some((name, value)) = assignment(line) {
            variables.insert(name, value.to_vec());
        } else if let Some(colon) = line.find_byte(b':') {
            let names = expanded(&line[..colon], &variables);
            if names.trim() == b".PHONY" {
                let names = expanded(&line[colon + 1..], &variables);
                phony.extend(names.fields().map(<[u8]>::to_vec));
                continue;
            }
            // A rule without a recipe only says what depends on what.
            let has_recipe =
                line.contains(&b';') || lines.peek().is_some_and(|next| next.starts_with(b"\t"));
            if has_recipe {
                targets.extend(names.fields().map(|name| (name.to_vec(), start)));
            }
        }
    }
    let made = targets.into_iter().filter_map(|(name, at)| {
        let what = target(&name)?;
        (!phony.contains(&name)).then_some(Said {
            what,
            at,
            row: "target",
        })
    });
    said.extend(made);
}

/// What a target stands for: a file, or a pattern where it is a rule for a type.
fn target(name: &[u8]) -> Option<Vec<u8>> {
    if let Some(types) = name.strip_prefix(b".") {
        // A suffix rule, `.c.o`.
        let dot = types.rfind_byte(b'.')?;
        return Some([b"*", &types[dot..]].concat());
    }
    if name.contains(&b'%') {
        return Some(name.replace("%", "*"));
    }
    Some(name.to_vec())
}

fn assignment(line: &[u8]) -> Option<(&[u8], &[u8])> {
    let equals = line.find_byte(b'=')?;
    let name =
        line[..equals].trim_end_with(|sign| matches!(sign, ':' | '?' | '+' | '!' | ' ' | '\t'));
    let is_name = !name.is_empty()
        && name
            .iter()
            .all(|byte| byte.is_ascii_alphanumeric() || b"_.-".contains(byte));
    is_name.then(|| (name, line[equals + 1..].trim()))
}

/// A text with its variables put in; what isn't known stays.
fn expanded(text: &[u8], variables: &HashMap<&[u8], Vec<u8>>) -> Vec<u8> {
    let mut text = text.to_vec();
    for _ in 0..DEPTH {
        let Some(start) = text.find("$(").or_else(|| text.find("${")) else {
            break;
        };
        let close = if text[start + 1] == b'(' { b')' } else { b'}' };
        let Some(end) = text[start..].find_byte(close).map(|end| start + end) else {
            break;
        };
        let inner = &text[start + 2..end];
        // `$(SOURCES:.c=.o)`
        let (name, change) = match inner.split_once_str(":") {
            Some((name, change)) => (name, change.split_once_str("=")),
            None => (inner, None),
        };
        let Some(value) = variables.get(name) else {
            break;
        };
        let value = match change {
            None => value.clone(),
            Some((from, to)) => {
                let (from, to) = (from.replace("%", ""), to.replace("%", ""));
                let words = value.fields().map(|word| match word.strip_suffix(&*from) {
                    Some(stem) if !to.starts_with(b".") && from.starts_with(b".") => {
                        [stem, &*to].concat()
                    }
                    Some(stem) => [stem, &*to].concat(),
                    None => word.to_vec(),
                });
                bstr::join(" ", words)
            }
        };
        text = [&text[..start], &value, &text[end + 1..]].concat();
    }
    text
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rules_say_what_they_make() {
        let text = "NAME = gauge\nOBJS = main.o level.o\nall: $(NAME)\n.PHONY: all clean\n$(NAME): $(OBJS)\n\tcc -o $@ $^\n%.o: %.c\n\tcc -c $<\n.tex.pdf:\n\tpdftex $<\nclean:\n\trm $(NAME)\ndocs/guide.html: guide.md\n\tpandoc $<\nREADME: main.c\n";
        let mut said = Vec::new();
        read(text.as_bytes(), &mut said);
        let made: Vec<String> = said
            .into_iter()
            .map(|said| String::from_utf8(said.what).unwrap())
            .collect();
        assert_eq!(made, ["gauge", "*.o", "*.pdf", "docs/guide.html"]);
    }
}
