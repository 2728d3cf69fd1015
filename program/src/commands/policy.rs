use anyhow::{Context as _, Result, bail};
use clap::{Args, Subcommand, ValueEnum};
use redshank_changes::policy;
use redshank_changes::{Edit, Error};
use redshank_context::{Context, GlobalArgs, Proposal};
use redshank_output::putln;
use redshank_report::{DOCUMENT, OutputFormat, PolicyOut, PolicyRowOut, Report, root};
use redshank_text::{Paint, shown};
use redshank_worktree::Purpose;
use redshank_worktree::policy::{Policy as Copy, PolicySource};
use redshank_worktree::settings::SettingsFile;
use std::fmt::Write;
use std::path::Path;
use std::process::ExitCode;

/// Follow templates, limits and expectations that several repositories share
///
/// A policy is a folder, or a repository that git can fetch, with `policy.toml` and `templates/`.
/// Its copy is in `.redshank/policy/`, so that every clone and CI have the same; `check` says when
/// it isn't what redshank.toml names, and when a block of rules is behind it. docs/guide/policy.md
/// has an example.
#[derive(Args)]
pub struct Policy {
    #[command(subcommand)]
    action: Option<Action>,
    /// How the answer is written
    #[arg(long, value_parser = DOCUMENT.parser(), global = true, default_value = "text")]
    format: OutputFormat,
}

#[derive(Subcommand)]
enum Action {
    /// Fetch a policy and follow it from now on
    Use {
        /// A folder, or an address that git can fetch from
        from: String,
        /// A branch, a tag or a commit
        #[arg(long)]
        revision: Option<String>,
        #[command(flatten)]
        target: Target,
    },
    /// Fetch it again
    Update {
        /// Another branch, tag or commit from now on
        #[arg(long)]
        revision: Option<String>,
        #[command(flatten)]
        target: Target,
    },
    /// Follow none; rules that it wrote stay
    Drop {
        #[command(flatten)]
        target: Target,
    },
}

#[derive(Args, Clone, Copy)]
struct Target {
    /// Who follows it
    #[arg(long = "for", value_enum, default_value = "team")]
    scope: Scope,
    /// Write what is shown
    #[arg(long)]
    write: bool,
}

#[derive(Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Scope {
    /// Everybody, in this repository
    Team,
    /// You, in all your repositories
    Personal,
}

impl Policy {
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, self.format)?;
        let settings = context.snapshot.settings()?;
        let written = match &self.action {
            None => {
                if context.speaks() || !context.for_people {
                    self.print(&context, settings.policy_copy.as_ref(), false)?;
                }
                return Ok(ExitCode::SUCCESS);
            }
            Some(Action::Use {
                from,
                revision,
                target,
            }) => {
                let here = std::env::current_dir().context("the current folder")?;
                let top = &context.snapshot.top;
                let source = PolicySource {
                    from: match target.scope {
                        Scope::Team => policy::named_from(&here, top, from),
                        Scope::Personal => policy::named_from(&here, Path::new(""), from),
                    },
                    revision: revision.clone(),
                };
                follow(&context, *target, Some(&source))?
            }
            Some(Action::Update { revision, target }) => {
                let mut source = known_source(settings, target.scope)?;
                if revision.is_some() {
                    source.revision.clone_from(revision);
                }
                // The repository may have named it, and somebody else made the repository.
                if target.scope == Scope::Team && !may_fetch(&context, &source.from)? {
                    return Ok(ExitCode::SUCCESS);
                }
                follow(&context, *target, Some(&source))?
            }
            Some(Action::Drop { target }) => {
                known_source(settings, target.scope)?;
                follow(&context, *target, None)?
            }
        };
        if !context.for_people {
            let after = Context::find(args, self.format)?;
            let copy = after.snapshot.settings()?.policy_copy.clone();
            self.print(&after, copy.as_ref(), written)?;
        }
        Ok(ExitCode::SUCCESS)
    }

    fn print(&self, context: &Context, copy: Option<&Copy>, written: bool) -> Result<()> {
        let settings = context.snapshot.settings()?;
        let team = settings.policy.as_ref();
        let mut policies = Vec::new();
        policies.extend(team.map(|source| PolicyRowOut::new("team", source, copy)));
        if let Some(copy) = &settings.personal_policy {
            let source = source_of(copy);
            policies.push(PolicyRowOut::new("personal", &source, Some(copy)));
        }
        self.format.print(&Followed {
            top: &context.snapshot.top,
            policies,
            written,
        })
    }
}

fn source_of(copy: &Copy) -> PolicySource {
    PolicySource {
        from: copy.record.from.clone(),
        revision: copy.record.revision.clone(),
    }
}

/// What is followed already.
fn known_source(settings: &SettingsFile, scope: Scope) -> Result<PolicySource> {
    let known = match scope {
        Scope::Team => settings.policy.clone(),
        Scope::Personal => settings.personal_policy.as_ref().map(source_of),
    };
    Ok(known.ok_or(Error::NoPolicyNamed)?)
}

/// Whether the person agrees to fetch what the repository names.
fn may_fetch(context: &Context, from: &str) -> Result<bool> {
    if context.args.yes {
        return Ok(true);
    }
    if !context.asks() {
        bail!(
            "redshank.toml names the policy at {}\n  --yes fetches it from there",
            plain(from)
        );
    }
    let question = format!(
        "redshank.toml names the policy at {}. Fetch it?",
        plain(from)
    );
    context.confirm(&question)
}

/// Fetches a policy, if there is to be one, and follows it; returns whether anything was written.
fn follow(context: &Context, target: Target, source: Option<&PolicySource>) -> Result<bool> {
    let top = &context.snapshot.top;
    let fetched = source
        .map(|source| policy::fetch(top, source))
        .transpose()?;
    if let (Some(copy), true) = (&fetched, context.speaks()) {
        putln!("{}", summary(copy))?;
    }
    if target.scope == Scope::Personal {
        return follow_personally(context, target, fetched.as_ref());
    }
    let snapshot = &context.snapshot;
    snapshot.needs_repository(Purpose::Journal)?;
    let edits = policy::edits(snapshot, snapshot.settings()?, fetched.as_ref())?;
    let has_changed = edits.iter().any(Edit::is_change);
    let mut notes = Vec::new();
    if has_changed && fetched.is_some() {
        notes.push(
            "then: `redshank draft` writes its rules, `--refresh` those that are there".to_owned(),
        );
    }
    let proposal = Proposal {
        command: "policy",
        write: target.write,
        on_rules: false,
        edits,
        notes,
        summary: None,
    };
    Ok(proposal.carry_out(context)?.written)
}

/// A person's own: in their configuration folder, where no journal is.
fn follow_personally(context: &Context, target: Target, copy: Option<&Copy>) -> Result<bool> {
    let known = &context.snapshot.settings()?.personal_policy;
    let is_same = match (copy, known) {
        (Some(copy), Some(known)) => copy.record == known.record && !known.is_changed(),
        (None, None) => true,
        _ => false,
    };
    let question = match copy {
        Some(_) => "Follow it in all your repositories?",
        None => "Follow no policy of your own?",
    };
    let is_asked = context.asks() && !context.args.yes;
    let told = target.write || is_asked;
    let may = !is_same && told && (!is_asked || context.confirm(question)?);
    if may {
        policy::write_personal(copy)?;
    }
    if context.for_people {
        putln!(
            "{}",
            match (is_same, may) {
                (true, _) => "nothing to write".to_owned(),
                (false, true) => Paint::Good.on("written"),
                (false, false) => {
                    format!(
                        "nothing was written; {} writes it",
                        Paint::Type.on("--write")
                    )
                }
            }
        )?;
    }
    Ok(may)
}

/// A text that anyone may have written, as it can be shown.
fn plain(text: &str) -> String {
    shown(text.into())
}

/// A fetched policy in a line.
fn summary(copy: &Copy) -> String {
    let row = PolicyRowOut::new("team", &source_of(copy), Some(copy));
    format!(
        "{} {} {}: {}",
        Paint::Head.on(plain(&row.from)),
        Paint::Quiet.on("at"),
        copy.record.short(),
        contents(&row)
    )
}

/// What a policy has, in words.
fn contents(row: &PolicyRowOut) -> String {
    let mut parts = Vec::new();
    let mut part = |count: usize, one: &str, many: &str| {
        if count > 0 {
            parts.push(format!("{count} {}", if count == 1 { one } else { many }));
        }
    };
    part(row.templates.len(), "template", "templates");
    part(row.limits, "limit", "limits");
    part(row.expectations, "expectation", "expectations");
    part(row.reserved, "reserved pattern", "reserved patterns");
    if parts.is_empty() {
        return "it sets nothing".to_owned();
    }
    parts.join(", ")
}

/// The policies that are followed.
struct Followed<'a> {
    top: &'a Path,
    policies: Vec<PolicyRowOut>,
    written: bool,
}

impl Report for Followed<'_> {
    type Document = PolicyOut;

    fn text(&self) -> Result<String> {
        let mut text = String::new();
        for row in &self.policies {
            let who = if row.scope == "team" {
                "this repository"
            } else {
                "you, everywhere"
            };
            let mut at = row.revision.clone().unwrap_or_default();
            if let Some(commit) = &row.commit {
                let short: String = commit.chars().take(SHORT).collect();
                at = format!("{at} {short}").trim().to_owned();
            }
            writeln!(
                text,
                "{} {} {} {}",
                Paint::Quiet.on(who),
                Paint::Head.on(plain(&row.from)),
                plain(&at),
                state(row.state)
            )?;
            writeln!(text, "  {}", contents(row))?;
            if !row.templates.is_empty() {
                let names = row.templates.join(", ");
                writeln!(text, "  {}", Paint::Quiet.on(plain(&names)))?;
            }
        }
        if self.policies.is_empty() {
            writeln!(text, "no policy is followed here")?;
            let next = Paint::Type.on("redshank policy use FROM");
            writeln!(
                text,
                "{next}  {}",
                Paint::Quiet.on("a folder or an address for git")
            )?;
        }
        Ok(text)
    }

    fn document(&self) -> PolicyOut {
        PolicyOut {
            schema: "redshank.policy/1",
            root: root(self.top),
            policies: self.policies.clone(),
            written: self.written,
        }
    }
}

/// So much of a commit's hash tells it from others.
const SHORT: usize = 10;

/// A state in words.
fn state(state: &str) -> String {
    match state {
        "missing" => Paint::Bad.on("not copied here yet"),
        "other" => Paint::Bad.on("the copy is another one"),
        "changed" => Paint::Bad.on("changed here"),
        _ => Paint::Good.on("as fetched"),
    }
}
