//! What the format can't say: that a template's patterns mean what they seem to, stay in the
//! project's folder, and are proven by its own examples.

use super::{Template, prove};
use crate::near::misreadings;
use redshank_pattern::{Case, Key, Line, lines};

/// Something wrong with a template.
pub struct Fault {
    /// A piece of the template's text by which the place is found.
    pub at: String,
    /// What is wrong, and what to do.
    pub said: String,
}

/// All that is wrong with a template.
pub fn check(template: &Template) -> Vec<Fault> {
    let mut faults = Vec::new();
    let mut complain = |at: &str, said: String| {
        faults.push(Fault {
            at: at.to_owned(),
            said,
        })
    };
    let is_word = |name: &str| {
        !name.is_empty()
            && name
                .bytes()
                .all(|b| b.is_ascii_lowercase() || b.is_ascii_digit() || b == b'-')
    };
    for name in
        std::iter::once(&template.name).chain(template.variant.iter().map(|variant| &variant.name))
    {
        if !is_word(name) {
            complain(
                name,
                format!("`{name}` is not a name\n  use small letters, digits and `-`"),
            );
        }
    }
    let added = template.variant.iter().flat_map(|variant| &variant.rule);
    let rules = template.rule.iter().chain(added).map(|rule| &rule.pattern);
    for pattern in rules.chain(
        template
            .needed
            .iter()
            .map(|needed| &needed.pattern)
            .chain(template.companion.iter().map(|pair| &pair.of)),
    ) {
        if let Some(said) = pattern_fault(pattern) {
            complain(pattern, said);
        }
    }
    for variant in &template.variant {
        for dropped in variant
            .drops
            .iter()
            .filter(|dropped| !template.rule.iter().any(|rule| rule.pattern == **dropped))
        {
            complain(
                dropped,
                format!(
                    "variant `{}` takes out `{dropped}`, which the template hasn't",
                    variant.name
                ),
            );
        }
    }
    for marker in template
        .recognise
        .iter()
        .map(|marker| &marker.file)
        .chain(template.output.iter().map(|o| &o.file))
    {
        if leads_out(marker) {
            complain(
                marker,
                format!("`{marker}` leads out of the project's folder"),
            );
        }
    }
    for output in template
        .output
        .iter()
        .filter(|output| output.format == super::SettingFormat::Text)
    {
        match regex::Regex::new(&output.key) {
            Ok(key) if key.captures_len() == 2 => {}
            Ok(_) => complain(
                &output.key,
                format!("`{}` must have one group, which is the value", output.key),
            ),
            Err(error) => complain(&output.key, error.to_string()),
        }
    }
    for failure in prove(template).0 {
        let should = if failure.expected_ignored {
            "must be ignored and is not"
        } else {
            "must stay and is ignored"
        };
        let said = format!(
            "the example `{}` of `{}` {should}\n  mend the pattern or the example",
            failure.example, failure.pattern
        );
        complain(&failure.example, said);
    }
    faults
}

fn pattern_fault(pattern: &str) -> Option<String> {
    let mut read = lines(pattern.as_bytes(), Case::Sensitive);
    let (Some(Line::Rule(rule)), None) = (read.next(), read.next()) else {
        return Some(format!(
            "`{}` is not one rule to git\n  write one pattern",
            pattern.escape_debug()
        ));
    };
    if leads_out(pattern) {
        return Some(format!(
            "`{pattern}` leads out of the project's folder\n  patterns are relative to it"
        ));
    }
    if matches!(rule.glob().key(), Key::Never) {
        return Some(format!(
            "no path can match `{pattern}`: an open bracket, or a back-slash at the end"
        ));
    }
    let (because, mended) = misreadings(&rule).next()?;
    Some(format!(
        "git would read `{pattern}` differently: {because}\n  `{mended}` may be meant"
    ))
}

fn leads_out(path: &str) -> bool {
    path.trim_start_matches('!')
        .split('/')
        .any(|part| part == "..")
}
