//! What each part of a line is, for an editor that colours by it (LSP 3.17, semantic tokens).

use super::Server;
use super::analysis::Kind;
use super::documents::{Columns, Document};
use lsp_types::{
    SemanticToken, SemanticTokenType, SemanticTokens, SemanticTokensLegend, SemanticTokensParams,
    SemanticTokensRangeParams, Uri,
};
use redshank_rules::ignore_file::blocks;
use serde_json::{Value, json};
use std::collections::HashSet;
use std::ops::Range;

/// What a part of a line is: its place in the legend.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Token {
    Comment,
    /// The first or last line of a block.
    Heading,
    /// `!` and `-` in front of a name, and `[attr]`.
    Sign,
    /// What stands for itself.
    Literal,
    /// What stands for several names.
    Wildcard,
    /// The name of an attribute.
    Attribute,
    /// What an attribute is set to.
    Value,
}

/// The types of the protocol, in the order of [`Token`].
pub fn legend() -> SemanticTokensLegend {
    SemanticTokensLegend {
        token_types: vec![
            SemanticTokenType::COMMENT,
            SemanticTokenType::NAMESPACE,
            SemanticTokenType::KEYWORD,
            SemanticTokenType::STRING,
            SemanticTokenType::REGEXP,
            SemanticTokenType::PROPERTY,
            SemanticTokenType::ENUM_MEMBER,
        ],
        token_modifiers: Vec::new(),
    }
}

impl Server<'_> {
    /// All of a text.
    pub(super) fn tokens(&self, params: SemanticTokensParams) -> Value {
        self.tokens_of(&params.text_document.uri, 0..u32::MAX)
    }

    /// What is in sight of it.
    pub(super) fn tokens_in_sight(&self, params: SemanticTokensRangeParams) -> Value {
        let (start, end) = (params.range.start.line, params.range.end.line);
        self.tokens_of(&params.text_document.uri, start..end.saturating_add(1))
    }

    fn tokens_of(&self, uri: &Uri, lines: Range<u32>) -> Value {
        let Some((document, analysis)) = self.known(uri) else {
            return Value::Null;
        };
        let headings: HashSet<u32> = blocks(document.text.as_bytes())
            .into_iter()
            .flat_map(|block| [block.place.start, block.place.end.saturating_sub(1)])
            .map(|line| line as u32)
            .collect();
        let mut found = Vec::new();
        for number in lines.take_while(|number| document.has_line(*number)) {
            let line = document.line(number);
            let parts = match &analysis.kind {
                _ if headings.contains(&number) => vec![(0..line.len(), Token::Heading)],
                Kind::Rules(_) => of_rule(line),
                Kind::Attributes(_) => of_attributes(line),
                _ => return Value::Null,
            };
            found.extend(parts.into_iter().map(|part| (number, part)));
        }
        json!(SemanticTokens {
            result_id: None,
            data: encoded(document, &found, self.view.columns),
        })
    }
}

/// Each token by its distance from the one before it, as the protocol wants them.
fn encoded(
    document: &Document,
    found: &[(u32, (Range<usize>, Token))],
    columns: Columns,
) -> Vec<SemanticToken> {
    let (mut line_before, mut start_before) = (0, 0);
    let tokens = found.iter().map(|(number, (bytes, token))| {
        let range = columns.range(*number, document.line(*number), bytes.clone());
        let start = range.start.character;
        let delta_line = number - line_before;
        let delta_start = if delta_line == 0 {
            start - start_before
        } else {
            start
        };
        (line_before, start_before) = (*number, start);
        SemanticToken {
            delta_line,
            delta_start,
            length: range.end.character - start,
            token_type: *token as u32,
            token_modifiers_bitset: 0,
        }
    });
    tokens.collect()
}

fn of_rule(line: &str) -> Vec<(Range<usize>, Token)> {
    let end = line.trim_end().len();
    match line.as_bytes() {
        _ if end == 0 => Vec::new(),
        [b'#', ..] => vec![(0..line.len(), Token::Comment)],
        [b'!', ..] => {
            let mut found = vec![(0..1, Token::Sign)];
            found.extend(of_pattern(line, 1..end));
            found
        }
        _ => of_pattern(line, 0..end),
    }
}

/// The parts of a pattern: what stands for itself, and wildcards.
fn of_pattern(line: &str, bytes: Range<usize>) -> Vec<(Range<usize>, Token)> {
    let mut found: Vec<(Range<usize>, Token)> = Vec::new();
    let mut at = bytes.start;
    while at < bytes.end {
        let rest = &line[at..bytes.end];
        let letter = rest.chars().next().map_or(1, char::len_utf8);
        let (length, token) = match rest.as_bytes()[0] {
            b'\\' => {
                let behind = rest[1..].chars().next().map_or(0, char::len_utf8);
                (1 + behind, Token::Literal)
            }
            b'*' | b'?' => (1, Token::Wildcard),
            // A bracket that is never closed matches nothing; the finding says so.
            b'[' => (rest.find(']').map_or(1, |end| end + 1), Token::Wildcard),
            _ => (letter, Token::Literal),
        };
        match found.last_mut() {
            Some((before, same)) if *same == token => before.end += length,
            _ => found.push((at..at + length, token)),
        }
        at += length;
    }
    found
}

fn of_attributes(line: &str) -> Vec<(Range<usize>, Token)> {
    let start = line.len() - line.trim_start().len();
    let text = &line[start..];
    if text.starts_with('#') {
        return vec![(0..line.len(), Token::Comment)];
    }
    let first = match text.strip_prefix('"').and_then(|rest| rest.find('"')) {
        Some(end) => end + 2,
        None => text.find([' ', '\t']).unwrap_or(text.len()),
    };
    let mut found = match text.strip_prefix("[attr]") {
        Some(name) => {
            let name = name.find([' ', '\t']).unwrap_or(name.len());
            vec![
                (start..start + "[attr]".len(), Token::Sign),
                (
                    start + "[attr]".len()..start + "[attr]".len() + name,
                    Token::Attribute,
                ),
            ]
        }
        None => of_pattern(line, start..start + first),
    };
    let mut at = start + first;
    for word in line[at..].split([' ', '\t']) {
        let end = at + word.len();
        let sign = usize::from(word.starts_with(['-', '!']));
        let value = word.find('=').map_or(end, |equals| at + equals);
        if sign > 0 {
            found.push((at..at + 1, Token::Sign));
        }
        found.push((at + sign..value, Token::Attribute));
        found.push(((value + 1).min(end)..end, Token::Value));
        at = end + 1;
    }
    found.retain(|(bytes, _)| !bytes.is_empty());
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Parts are in their order, don't overlap, and are whole letters.
        #[test]
        fn parts_of_a_line_are_in_order(line in "[a-z*?!#\\[\\]\\\\ =/ä\"-]{0,16}") {
            for parts in [of_rule(&line), of_attributes(&line)] {
                let mut end = 0;
                for (bytes, _) in parts {
                    prop_assert!(bytes.start >= end && bytes.end > bytes.start);
                    prop_assert!(line.get(bytes.clone()).is_some());
                    end = bytes.end;
                }
            }
        }
    }
}
