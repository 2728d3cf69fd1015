//! What the format can't say: that a template's patterns mean what they seem to, stay in the
//! project's folder, and are proven by its own examples.

use super::{Failure, SettingFormat, Template, prove};
use redshank_rules::attribute_file::AttributeFile;
use redshank_rules::{Case, Key, Line, lines};
use redshank_rules::{NearReason, misreadings};

/// Something wrong with a template.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Fault {
    /// A name is more than small letters, digits and `-`.
    NotAName {
        /// The name, as it is written.
        name: String,
    },
    /// The file has another name than its template: two files could hold the same one.
    NotNamedAfter {
        /// The name, as it is written.
        name: String,
    },
    /// A pattern is none, or more than one, to git.
    NotOneRule {
        /// The pattern, as it is written in the file.
        pattern: String,
    },
    /// A path or pattern leads out of the project's folder.
    LeadsOut {
        /// The path or pattern.
        path: String,
    },
    /// No path can match a pattern: an open bracket, or a back-slash at the end.
    Impossible {
        /// The pattern, as it is written in the file.
        pattern: String,
    },
    /// git would read a pattern differently from what its form tells.
    Misread {
        /// The pattern, as it is written in the file.
        pattern: String,
        /// The reason; `app/text` has its sentence.
        because: NearReason,
        /// What may be meant.
        corrected: String,
    },
    /// A variant takes out a pattern that the template hasn't.
    DropsUnknown {
        /// Name of the variant in its template.
        variant: String,
        /// The pattern, as it is written in the file.
        pattern: String,
    },
    /// A rule is newer than its template.
    LaterThanTemplate {
        /// The pattern, as it is written in the file.
        pattern: String,
    },
    /// A line of attributes that git would not take, or that matches no file.
    NotAnAttribute {
        /// The pattern, as it is written in the file.
        pattern: String,
    },
    /// A regular expression must have one group, which is the value.
    NotOneGroup {
        /// The expression, as it is written.
        expression: String,
    },
    /// A regular expression is none.
    BadExpression {
        /// The expression, as it is written.
        expression: String,
        /// What the parser or the system reported.
        said: String,
    },
    /// An example doesn't come out as the template says.
    Example(Failure),
}

impl Fault {
    /// A piece of the template's text by which the place is found, if there is one.
    pub fn at(&self) -> Option<&str> {
        match self {
            Self::NotNamedAfter { .. } => None,
            Self::NotAName { name: text }
            | Self::NotOneRule { pattern: text }
            | Self::LeadsOut { path: text }
            | Self::Impossible { pattern: text }
            | Self::Misread { pattern: text, .. }
            | Self::DropsUnknown { pattern: text, .. }
            | Self::LaterThanTemplate { pattern: text }
            | Self::NotAnAttribute { pattern: text }
            | Self::NotOneGroup { expression: text }
            | Self::BadExpression {
                expression: text, ..
            } => Some(text),
            Self::Example(failure) => Some(&failure.example),
        }
    }
}

/// All that is wrong with a template.
pub fn check(template: &Template) -> Vec<Fault> {
    let mut faults = Vec::new();
    faults.extend(names(template));
    faults.extend(patterns(template).filter_map(|pattern| pattern_fault(pattern)));
    faults.extend(drops(template));
    faults.extend(later_rules(template));
    faults.extend(attributes(template));
    faults.extend(markers(template));
    faults.extend(expressions(template));
    faults.extend(prove(template).0.into_iter().map(Fault::Example));
    faults
}

fn names(template: &Template) -> impl Iterator<Item = Fault> {
    let is_word = move |name: &String| {
        !name.is_empty()
            && name
                .bytes()
                .all(|byte| byte.is_ascii_lowercase() || byte.is_ascii_digit() || byte == b'-')
    };
    let variants = template.variant.iter().map(|variant| &variant.name);
    let bad = std::iter::once(&template.name)
        .chain(variants)
        .filter(move |name| !is_word(name));
    bad.map(|name| Fault::NotAName { name: name.clone() })
}

/// Every pattern of a template, wherever it is.
fn patterns(template: &Template) -> impl Iterator<Item = &String> {
    let added = template.variant.iter().flat_map(|variant| &variant.rule);
    let rules = template.rule.iter().chain(added).map(|rule| &rule.pattern);
    let needed = template.needed.iter().map(|needed| &needed.pattern);
    let companions = template.companion.iter().map(|pair| &pair.of);
    rules
        .chain(needed)
        .chain(companions)
        .chain(&template.retired)
}

fn drops(template: &Template) -> impl Iterator<Item = Fault> {
    let of_variants = template.variant.iter().flat_map(|variant| {
        let drops = variant.drops.iter();
        drops.map(move |pattern| (&variant.name, pattern))
    });
    let unknown = of_variants
        .filter(move |(_, pattern)| !template.rule.iter().any(|rule| rule.pattern == **pattern));
    unknown.map(|(variant, pattern)| Fault::DropsUnknown {
        variant: variant.clone(),
        pattern: pattern.clone(),
    })
}

fn later_rules(template: &Template) -> impl Iterator<Item = Fault> {
    let added = template.variant.iter().flat_map(|variant| &variant.rule);
    let rules = template.rule.iter().chain(added);
    let later = rules.filter(|rule| rule.since.is_some_and(|since| since > template.revision));
    later.map(|rule| Fault::LaterThanTemplate {
        pattern: rule.pattern.clone(),
    })
}

fn attributes(template: &Template) -> impl Iterator<Item = Fault> {
    let bad = template.attribute.iter().filter(|attribute| {
        let line = attribute.line(attribute.pattern.as_bytes().into());
        let file = AttributeFile::parse(&line, "".into(), true, Case::Sensitive);
        let is_one = file.rules.len() == 1 && file.faulty.is_empty();
        let is_later = attribute
            .since
            .is_some_and(|since| since > template.revision);
        !is_one || is_later || leads_out(&attribute.pattern)
    });
    bad.map(|attribute| Fault::NotAnAttribute {
        pattern: attribute.pattern.clone(),
    })
}

fn markers(template: &Template) -> impl Iterator<Item = Fault> {
    let markers = template.recognise.iter().map(|marker| &marker.file);
    let files = markers.chain(template.output.iter().map(|output| &output.file));
    files
        .filter(|file| leads_out(file))
        .map(|file| Fault::LeadsOut { path: file.clone() })
}

fn expressions(template: &Template) -> impl Iterator<Item = Fault> {
    let outputs = template.output.iter();
    let texts = outputs.filter(|output| output.format == SettingFormat::Text);
    texts.filter_map(|output| {
        let expression = output.key.clone();
        match regex::Regex::new(&output.key) {
            Ok(key) if key.captures_len() == 2 => None,
            Ok(_) => Some(Fault::NotOneGroup { expression }),
            Err(error) => Some(Fault::BadExpression {
                expression,
                said: error.to_string(),
            }),
        }
    })
}

fn pattern_fault(pattern: &str) -> Option<Fault> {
    let text = || pattern.to_owned();
    let mut read = lines(pattern.as_bytes(), Case::Sensitive);
    let (Some(Line::Rule(rule)), None) = (read.next(), read.next()) else {
        return Some(Fault::NotOneRule { pattern: text() });
    };
    if leads_out(pattern) {
        return Some(Fault::LeadsOut { path: text() });
    }
    if matches!(rule.glob().key(), Key::Never) {
        return Some(Fault::Impossible { pattern: text() });
    }
    let (because, corrected) = misreadings(&rule).next()?;
    Some(Fault::Misread {
        pattern: text(),
        because,
        corrected: corrected.to_string(),
    })
}

fn leads_out(path: &str) -> bool {
    path.trim_start_matches('!')
        .split('/')
        .any(|part| part == "..")
}
