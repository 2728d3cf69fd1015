//! What the values of arguments can be here, for a shell that completes: each with what it is
//! for. Where nothing can be read, nothing is offered; anyone who completes wants no complaint.

use crate::Context;
use crate::GlobalArgs;
use crate::shell;
use anyhow::Result;
use bstr::ByteSlice;
use clap::builder::{PossibleValue, PossibleValuesParser, TypedValueParser};
use clap_complete::{ArgValueCandidates, CompletionCandidate};
use redshank_changes::hidden_changes::muted;
use redshank_changes::journal::Journal;
use redshank_findings::Level;
use redshank_report::OutputFormat;
use redshank_templates::Collection;
use redshank_text as text;
use redshank_worktree::Class;
use redshank_worktree::usage::rule_usage;

/// A value, and what it stands for.
pub type Value = (String, String);

/// The values that something here gives.
pub fn here(values: fn(&Context) -> Result<Vec<Value>>) -> ArgValueCandidates {
    ArgValueCandidates::new(move || {
        let args = GlobalArgs::default();
        let context = Context::find(&args, OutputFormat::Json);
        let values = context.and_then(|context| values(&context));
        let shell = shell::asking();
        let offered = values.unwrap_or_default().into_iter();
        let offered = offered.filter_map(|(value, help)| {
            let value = quoted_for(shell, &value)?;
            Some(CompletionCandidate::new(value).help(Some(help.into())))
        });
        offered.collect()
    })
}

/// A value as a shell must read it: bash and PowerShell put on the line what they are given, the
/// others quote it themselves. Nothing for what no shell can take on one line. Values come from the
/// repository: one that isn't quoted could be a command.
pub(crate) fn quoted_for(shell: &str, value: &str) -> Option<String> {
    if value.chars().any(char::is_control) {
        return None;
    }
    let is_plain = |c: char| c.is_alphanumeric() || "_-./,+:@%^=".contains(c);
    Some(match shell {
        "bash" => value
            .chars()
            .flat_map(|c| (!is_plain(c)).then_some('\\').into_iter().chain([c]))
            .collect(),
        "powershell" if !value.chars().all(is_plain) => format!("'{}'", value.replace('\'', "''")),
        _ => value.to_owned(),
    })
}

/// The names of templates.
pub fn templates() -> ArgValueCandidates {
    here(|context| {
        let all = Collection::load(&context.snapshot)?;
        let rows = all.iter().map(|one| (one.name.clone(), one.title.clone()));
        Ok(rows.collect())
    })
}

/// The names of templates, those that fit a project here with its folder.
pub fn templates_with_folders() -> ArgValueCandidates {
    here(|context| {
        let survey = context.survey()?;
        let here = survey.projects.iter().map(|project| {
            let folder = project.folder.to_str_lossy();
            let name = if project.folder.is_top() {
                project.template.name.clone()
            } else {
                format!("{}@{folder}", project.template.name)
            };
            (name, project.template.title.clone())
        });
        let all = context.collection()?.iter();
        let all = all.map(|one| (one.name.clone(), one.title.clone()));
        Ok(here.chain(all).collect())
    })
}

/// The variants of templates.
pub fn variants() -> ArgValueCandidates {
    here(|context| {
        let all = Collection::load(&context.snapshot)?;
        let rows = all.iter().flat_map(|template| {
            let titles = template.variant.iter().map(|one| one.title.clone());
            template.variant_names().zip(titles).collect::<Vec<_>>()
        });
        Ok(rows.collect())
    })
}

/// The ids of findings.
pub fn findings() -> ArgValueCandidates {
    here(|context| {
        let result = context.scan(&context.scan_options())?;
        Ok(result
            .findings
            .iter()
            .map(|one| {
                let place = text::place(one);
                (one.id.clone(), format!("{place}: {}", text::message(one)))
            })
            .collect())
    })
}

/// The rules in force.
pub fn rules() -> ArgValueCandidates {
    here(|context| {
        let usage = rule_usage(&context.snapshot)?;
        let rows = usage.rules.iter().map(|one| {
            let place = format!("{}:{}", one.list.source.shown, one.rule().line);
            (text::pattern(one.rule().text.as_bstr()), place)
        });
        Ok(rows.collect())
    })
}

/// The numbers of changes in the journal, the newest first.
pub fn changes() -> ArgValueCandidates {
    here(|context| {
        let list = Journal::open(&context.snapshot)?.list()?;
        let rows = list.iter().rev();
        let rows = rows.map(|one| (one.number.to_string(), one.command.clone()));
        Ok(rows.collect())
    })
}

/// The files whose changes are hidden from git.
pub fn hidden() -> ArgValueCandidates {
    here(|context| {
        let all = muted(&context.snapshot)?;
        let rows = all.iter();
        Ok(rows
            .map(|one| (one.path.to_str_lossy().into_owned(), "muted".to_owned()))
            .collect())
    })
}

/// A class, by its word.
pub fn class() -> impl TypedValueParser<Value = Class> {
    one_of(Class::ALL, Class::word, text::class)
}

/// A level, by its word.
pub fn level() -> impl TypedValueParser<Value = Level> {
    one_of(Level::ALL, Level::word, text::level)
}

fn one_of<T, const N: usize>(
    all: [T; N],
    word: fn(T) -> &'static str,
    means: fn(T) -> &'static str,
) -> impl TypedValueParser<Value = T>
where
    T: Copy + Send + Sync + 'static,
{
    let possible = all.map(|one| PossibleValue::new(word(one)).help(means(one)));
    PossibleValuesParser::new(possible).try_map(move |given| {
        let named = all.iter().find(|one| word(**one) == given);
        named.copied().ok_or("it isn't one of them")
    })
}
