use crate::installed::Installed;
use anyhow::{Result, bail};
use clap::{Args, ValueEnum};
use clap_complete::ArgValueCandidates;
use redshank_changes::Edit;
use redshank_context::{
    Context, GlobalArgs, Proposal,
    choices::{Color, ReachArg, When},
    preferences::{self, Origin},
    values,
};
use redshank_output::{self as output, Align, Cell, Table};
use redshank_report::{DOCUMENT, OutputFormat, ProgramOut, Report, SettingOut, SettingsOut, root};
use redshank_text::Paint;
use redshank_worktree::personal;
use redshank_worktree::settings::{self, GivenLimits, SettingsFile, Visibility};
use redshank_worktree::size::Bytes;
use std::path::Path;
use std::process::ExitCode;

/// Show each setting, its value and where it comes from; change the repository's own
#[derive(Args)]
pub struct Settings {
    /// Only this one; a whole group for the part before a dot
    #[arg(add = names())]
    name: Option<String>,
    /// What the repository is to set it to, in redshank.toml
    #[arg(requires = "name")]
    value: Option<String>,
    /// Write what is shown
    #[arg(long, requires = "value")]
    write: bool,
    /// How the answer is written
    #[arg(long, value_parser = DOCUMENT.parser(), default_value = "text")]
    format: OutputFormat,
}

impl Settings {
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, self.format)?;
        let team = context.snapshot.settings()?;
        let mut rows = of_person(args);
        rows.extend(of_limits(team, args));
        rows.extend(of_repository(team));
        let known: Vec<String> = rows.iter().map(|row| row.name.to_owned()).collect();
        if let Some(name) = &self.name {
            let group = format!("{name}.");
            rows.retain(|row| row.name == name || row.name.starts_with(&group));
        }
        let [first, rest @ ..] = rows.as_slice() else {
            let asked = self.name.as_deref().unwrap_or_default();
            let distance = |known: &&String| strsim::damerau_levenshtein(asked, known);
            let near = known.iter().min_by_key(distance);
            let near = near.filter(|near| distance(near) <= asked.len().div_ceil(3));
            let near = near.map_or(String::new(), |near| format!("did you mean `{near}`? "));
            bail!("there is no setting `{asked}`\n  {near}`redshank settings` lists them");
        };
        if let Some(value) = &self.value {
            let is_one = rest.is_empty() && Some(first.name) == self.name.as_deref();
            return self.set(&context, first.name, is_one, value);
        }
        self.format.print(&InForce {
            top: &context.snapshot.top,
            rows,
        })?;
        Ok(ExitCode::SUCCESS)
    }
}

/// The settings that a repository can set by this command; the others are lists, or a person's own.
const OF_REPOSITORY: &[&str] = &[
    "visibility",
    "draft.layout",
    "draft.explain",
    "hook.level",
    "limits.file_warning",
    "limits.file_error",
    "limits.folder_warning",
    "limits.folder_files",
    "limits.repository",
    "limits.push",
];

impl Settings {
    /// Sets one in the repository.
    fn set(&self, context: &Context, name: &str, is_one: bool, value: &str) -> Result<ExitCode> {
        if !is_one || !OF_REPOSITORY.contains(&name) {
            let own = personal::settings_file();
            let own = own.map_or(String::new(), |path| {
                format!(", yours in {}", path.display())
            });
            bail!(
                "`{name}` is not set by this command\n  lists of the repository are written in \
                 {}{own}",
                settings::FILE
            );
        }
        let team = context.snapshot.settings()?;
        let words: &[&str] = match name {
            "visibility" => &["private", "public"],
            "draft.layout" => &["top", "folders"],
            "draft.explain" => &["full", "brief", "none"],
            "hook.level" => &["error", "warning"],
            _ => &[],
        };
        if !words.is_empty() && !words.contains(&value) {
            bail!(
                "`{value}` is no value of `{name}`\n  one of: {}",
                words.join(", ")
            );
        }
        let after = team.with_value(name, value).map_err(|error| match error {
            redshank_worktree::Error::Malformed { .. } => anyhow::anyhow!(
                "`{value}` is no value of `{name}`\n  a size such as \"10 MiB\", or a number"
            ),
            other => other.into(),
        })?;
        let outcome = Proposal {
            command: "settings",
            write: self.write,
            on_rules: false,
            edits: vec![Edit::of_settings(team, after)],
            notes: Vec::new(),
            summary: None,
        }
        .carry_out(context)?;
        if !context.for_people {
            output::json(&SettingsOut {
                schema: "redshank.settings/1",
                root: root(&context.snapshot.top),
                personal: personal::settings_file().map(|path| path.to_string_lossy().into_owned()),
                settings: vec![SettingOut {
                    name: name.to_owned(),
                    value: value.to_owned(),
                    from: Origin::Repository.word().to_owned(),
                }],
                written: outcome.written,
                program: program(),
            })?;
        }
        Ok(ExitCode::SUCCESS)
    }
}

/// A setting, its value, and where that comes from.
struct Row {
    name: &'static str,
    value: String,
    from: Origin,
}

/// The names of all settings, for a shell that completes.
fn names() -> ArgValueCandidates {
    values::here(|context| {
        let (args, team) = (context.args, context.snapshot.settings()?);
        let rows = [of_person(args), of_limits(team, args), of_repository(team)];
        let rows = rows.into_iter().flatten();
        Ok(rows.map(|row| (row.name.to_owned(), row.value)).collect())
    })
}

impl Row {
    fn new(name: &'static str, value: impl ToString, from: Origin) -> Self {
        let value = value.to_string();
        Self { name, value, from }
    }

    /// A personal setting, or what is built in.
    fn personal<T: Copy>(
        name: &'static str,
        set: Option<T>,
        usual: T,
        word: impl Fn(T) -> String,
    ) -> Self {
        let from = set.map_or(Origin::BuiltIn, |_| Origin::Personal);
        Self::new(name, word(set.unwrap_or(usual)), from)
    }
}

fn of_person(args: &GlobalArgs) -> Vec<Row> {
    let own = &args.preferences;
    let color = |color: Color| value_word(&color);
    let color = match args.color {
        Some(given) => Row::new("color", color(given), Origin::Option("--color")),
        None => Row::personal("color", own.color, Color::Auto, color),
    };
    let (pager, from) = preferences::pager(own);
    let yes_or_no = |yes: bool| if yes { "true" } else { "false" }.to_owned();
    vec![
        color,
        Row::personal("links", own.links, When::Auto, |when| value_word(&when)),
        Row::new("pager", pager, from),
        Row::personal("add.for", own.add.reach, ReachArg::Team, |reach| {
            value_word(&reach)
        }),
        Row::personal("setup.hook", own.setup.hook, true, yes_or_no),
        Row::personal("setup.record", own.setup.record, true, yes_or_no),
        Row::personal("setup.sample", own.setup.sample, true, yes_or_no),
    ]
}

fn of_limits(team: &SettingsFile, args: &GlobalArgs) -> Vec<Row> {
    let (own, filled) = (&args.preferences.limits, &team.limits);
    let limits = filled.or(own);
    let from = |is_set: fn(&GivenLimits) -> bool| {
        let sources = [
            (&team.own_limits, Origin::Repository),
            (filled, Origin::Policy),
            (own, Origin::Personal),
        ];
        let mut sources = sources.into_iter();
        sources
            .find(|(given, _)| is_set(given))
            .map_or(Origin::BuiltIn, |(_, origin)| origin)
    };
    vec![
        Row::new(
            "limits.file_warning",
            limits.file_warning,
            from(|given| given.file_warning.is_some()),
        ),
        Row::new(
            "limits.file_error",
            limits.file_error,
            from(|given| given.file_error.is_some()),
        ),
        Row::new(
            "limits.folder_warning",
            limits.folder_warning,
            from(|given| given.folder_warning.is_some()),
        ),
        Row::new(
            "limits.folder_files",
            limits.folder_files,
            from(|given| given.folder_files.is_some()),
        ),
        Row::new(
            "limits.repository",
            none_or(limits.repository),
            from(|given| given.repository.is_some()),
        ),
        Row::new(
            "limits.push",
            none_or(limits.push),
            from(|given| given.push.is_some()),
        ),
    ]
}

fn none_or(limit: Option<Bytes>) -> String {
    limit.map_or_else(|| "none".to_owned(), |limit| limit.to_string())
}

fn of_repository(team: &SettingsFile) -> Vec<Row> {
    let from = |is_set: bool| {
        if is_set {
            Origin::Repository
        } else {
            Origin::BuiltIn
        }
    };
    let draft = &team.draft;
    let visibility = match team.visibility.unwrap_or_default() {
        Visibility::Private => "private",
        Visibility::Public => "public",
    };
    let usual = settings::Choices::default();
    let list = |all: &[String]| match all {
        [] => "none".to_owned(),
        all => all.join(", "),
    };
    let many = |name, count: usize| Row::new(name, count, from(count > 0));
    vec![
        Row::new("visibility", visibility, from(team.visibility.is_some())),
        Row::new(
            "draft.layout",
            draft.layout.word(),
            from(draft.layout != usual.layout),
        ),
        Row::new(
            "draft.explain",
            draft.explain.word(),
            from(draft.explain != usual.explain),
        ),
        Row::new(
            "draft.variants",
            list(&draft.variants),
            from(!draft.variants.is_empty()),
        ),
        Row::new(
            "draft.without",
            list(&draft.without),
            from(!draft.without.is_empty()),
        ),
        Row::new(
            "hook.level",
            team.hook.level.word(),
            from(team.hook != settings::HookSettings::default()),
        ),
        many("limit", team.limit.len()),
        many("expect", team.expect.len()),
        many("accept", team.accept.len()),
        many("reserved", team.reserved.len()),
    ]
}

/// The word by which a value is set.
fn value_word(value: &impl ValueEnum) -> String {
    let possible = value.to_possible_value();
    possible.map_or(String::new(), |value| value.get_name().to_owned())
}

/// Where the program is, for a document.
fn program() -> Option<ProgramOut> {
    Installed::find().map(|installed| ProgramOut {
        path: installed.path.to_string_lossy().into_owned(),
        by: installed.by.map(str::to_owned),
    })
}

/// The settings that hold.
struct InForce<'a> {
    top: &'a Path,
    rows: Vec<Row>,
}

impl Report for InForce<'_> {
    type Document = SettingsOut;

    fn text(&self) -> Result<String> {
        let mut table = Table::new(&[Align::Whole, Align::Whole, Align::Left]);
        for row in &self.rows {
            table.row([
                row.name.to_owned().into(),
                Cell::painted(Paint::Type, &row.value),
                Cell::painted(Paint::Quiet, row.from),
            ]);
        }
        let mut text = table.text();
        let own = personal::settings_file();
        let own = own.map_or("no home folder is known".to_owned(), |path| {
            path.display().to_string()
        });
        let team = self.top.join(settings::FILE);
        text += &format!("\n{}  {own}\n", Paint::Head.on("yours  "));
        text += &format!("{}  {}\n", Paint::Head.on("here   "), team.display());
        if let Some(installed) = Installed::find() {
            text += &format!("{}  {}\n", Paint::Head.on("program"), installed.line());
        }
        Ok(text)
    }

    fn document(&self) -> SettingsOut {
        let rows = self.rows.iter().map(|row| SettingOut {
            name: row.name.to_owned(),
            value: row.value.clone(),
            from: row.from.word().to_owned(),
        });
        SettingsOut {
            schema: "redshank.settings/1",
            root: root(self.top),
            personal: personal::settings_file().map(|path| path.to_string_lossy().into_owned()),
            settings: rows.collect(),
            written: false,
            program: program(),
        }
    }
}
