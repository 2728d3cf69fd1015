//! A new template, started from an ignore file.

use super::examples::ignores;
use super::{Template, check};
use crate::{Error, Result};
use bstr::ByteSlice;
use redshank_rules::RepoPath;
use redshank_rules::ignore_file::lines_of;
use redshank_rules::{Case, Line, lines};
use redshank_worktree::{Class, toml_file};
use toml_edit::{ArrayOfTables, DocumentMut, Item, Table, value};

/// The text of a template file with the rules of an ignore file. Each rule's reason is the comment
/// above it; its example is a path that it ignores. `origin` is the ignore file's name. `remake` is
/// the command that makes again what the rules ignore, if one does.
///
/// # Errors
/// If a pattern can't be in a template, or the name is none.
pub fn started(name: &str, origin: &str, contents: &[u8], remake: Option<&str>) -> Result<String> {
    let mut document = DocumentMut::new();
    document["name"] = value(name);
    document["title"] = value(format!("From {origin}"));
    document["revision"] = value(1);
    document["group"] = value("tool");
    let mut rules = ArrayOfTables::new();
    let mut comment = Vec::new();
    for line in lines_of(contents) {
        let text = line.text.to_str_lossy();
        if let Some(words) = text.strip_prefix('#') {
            comment.push(
                words
                    .trim_matches(|c: char| c == '#' || c.is_whitespace())
                    .to_owned(),
            );
            continue;
        }
        if text.trim().is_empty() {
            comment.clear();
            continue;
        }
        let reason = match comment.join(" ").trim() {
            "" => match remake {
                Some(command) => format!("made by `{command}`"),
                None => format!("from {origin}, line {}", line.number),
            },
            words => words.to_owned(),
        };
        let mut rule = rule(&text, &reason);
        if let Some(command) = remake {
            rule["remake"] = value(command);
        }
        rules.push(rule);
    }
    document["rule"] = Item::ArrayOfTables(rules);
    let mut template: Template = toml_file::read(&document.to_string(), origin.as_ref())?;
    // An example that doesn't hold, because a later rule re-includes it, is none.
    let alone = template.clone();
    for rule in &mut template.rule {
        rule.ignored
            .retain(|path| ignores(&alone, RepoPath::new(path)));
    }
    if let Some(fault) = check(&template).into_iter().next() {
        let at = fault.at().unwrap_or_default();
        let line = lines_of(contents).find(|line| line.text.contains_str(at));
        return Err(Error::Invalid {
            path: origin.into(),
            line: line.map_or(1, |line| line.number as usize),
            fault: Box::new(fault),
        });
    }
    let tables = document["rule"]
        .as_array_of_tables_mut()
        .map(ArrayOfTables::iter_mut);
    for (table, rule) in tables.into_iter().flatten().zip(&template.rule) {
        if rule.ignored.is_empty() {
            table.remove("ignored");
        }
    }
    Ok(document.to_string())
}

fn rule(pattern: &str, reason: &str) -> Table {
    let mut table = Table::new();
    table["pattern"] = value(pattern);
    table["class"] = value(Class::Generated.to_string());
    table["reason"] = value(reason);
    table["ignored"] = value(example(pattern).into_iter().collect::<toml_edit::Array>());
    table
}

/// A path that a pattern ignores, if one is easily made.
fn example(pattern: &str) -> Option<String> {
    let one = lines(pattern.as_bytes(), Case::Sensitive).next();
    let Some(Line::Rule(rule)) = one.filter(|_| !pattern.starts_with('!')) else {
        return None;
    };
    let bare = pattern
        .trim_start_matches('/')
        .replace("**/", "")
        .replace("/**", "/any")
        .replace('*', "any")
        .replace('?', "x");
    let bare = bare.replace('\\', "");
    let path = if rule.folders_only {
        format!("{bare}any")
    } else {
        bare
    };
    rule.reaches(path.as_bytes().as_bstr()).then_some(path)
}
