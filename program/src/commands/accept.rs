use anyhow::{Context as _, Result, bail};
use bstr::ByteSlice;
use clap::Args;
use jiff::civil::Date;
use redshank_changes::Edit;
use redshank_context::{Context, GlobalArgs, Proposal, ask, values};
use redshank_findings::{Finding, today};
use redshank_output::{self as output, putln};
use redshank_report::{AcceptOut, DOCUMENT, FindingOut, OutputFormat, root};
use redshank_text::{self as text, Paint, shown};
use redshank_worktree::Class;
use redshank_worktree::settings::Acceptance;
use std::process::ExitCode;

/// Record that a finding is OK, and why
#[derive(Args)]
pub struct Accept {
    /// The finding's id, or the path that it is on; `redshank check --ids` shows both
    #[arg(add = values::findings())]
    finding: String,
    /// The class, where a path has findings of several
    #[arg(long = "class", value_name = "CLASS", value_parser = values::class())]
    class: Option<Class>,
    /// Why it is OK
    #[arg(long, value_name = "REASON")]
    because: Option<String>,
    /// The last day on which that holds
    #[arg(long, value_name = "YYYY-MM-DD")]
    until: Option<Date>,
    /// Write it into redshank.toml
    #[arg(long)]
    write: bool,
    /// How the answer is written
    #[arg(long, value_parser = DOCUMENT.parser(), default_value = "text")]
    format: OutputFormat,
}

impl Accept {
    pub fn run(&self, args: &GlobalArgs) -> Result<ExitCode> {
        let context = Context::find(args, self.format)?;
        context.recover(self.write || context.is_interactive())?;
        if self.until.is_some_and(|until| until < today()) {
            bail!("--until names a day that is past\n  name today or a later one");
        }
        let result = context.scan(&context.scan_options())?;
        let is_it = |finding: &&Finding| finding.id == self.finding;
        let whole = result.findings.iter().find(is_it);
        // One place of many, by its own id.
        let gathered = result.findings.iter().filter(|finding| finding.is_gathered);
        let mut places = gathered.flat_map(|finding| &finding.also);
        let by_id = whole.or_else(|| places.find(is_it));
        let finding = match by_id {
            Some(finding) => finding,
            None => self.on_path(&context, &result.findings)?,
        };
        if context.for_people {
            show(finding)?;
        }
        let because = self.reason(&context)?;
        let settings = context.snapshot.settings()?;
        let accept = |place: &Finding| Acceptance {
            finding: place.id.clone(),
            rule: place.rule.to_string(),
            path: place.path.to_str_lossy().into_owned(),
            because: because.clone(),
            until: self.until,
        };
        let acceptances: Vec<Acceptance> = if finding.is_gathered {
            finding.places().map(accept).collect()
        } else {
            vec![accept(finding)]
        };
        let after = settings.with_acceptances(&acceptances)?;
        let outcome = Proposal {
            command: "accept",
            write: self.write,
            on_rules: false,
            edits: vec![Edit::of_settings(settings, after)],
            notes: Vec::new(),
            summary: None,
        }
        .carry_out(&context)?;
        if !context.for_people {
            output::json(&AcceptOut {
                schema: "redshank.accept/1",
                root: root(&context.snapshot.top),
                finding: FindingOut::from(finding),
                because,
                written: outcome.written,
            })?;
        }
        Ok(ExitCode::SUCCESS)
    }

    /// The one finding on the path that was given.
    fn on_path<'f>(&self, context: &Context, findings: &'f [Finding]) -> Result<&'f Finding> {
        let Ok(path) = context.resolve(self.finding.as_ref()) else {
            bail!(self.unknown(context));
        };
        let places = findings.iter().flat_map(|one| {
            if one.is_gathered {
                one.places().collect()
            } else {
                vec![one]
            }
        });
        let found: Vec<&Finding> = places
            .filter(|one| {
                one.path.bare() == path.bare()
                    && self.class.is_none_or(|class| one.class() == class)
            })
            .collect();
        match found.as_slice() {
            [] => bail!(self.unknown(context)),
            [one] => Ok(one),
            several => {
                let ids = several
                    .iter()
                    .map(|one| format!("{} ({})", one.id, one.rule));
                bail!(
                    "{} findings are on {}\n  name one by its id, or its class with --class: {}",
                    several.len(),
                    shown(&path),
                    ids.collect::<Vec<_>>().join(", ")
                )
            }
        }
    }

    fn reason(&self, context: &Context) -> Result<String> {
        match &self.because {
            Some(because) if !because.trim().is_empty() => Ok(because.clone()),
            None if context.is_interactive() => {
                let said = ask::text("Why is this OK?")?;
                said.context("without a reason, nothing is accepted")
            }
            _ => bail!("an acceptance needs a reason\n  give it with --because"),
        }
    }

    fn unknown(&self, context: &Context) -> String {
        let settings = context.snapshot.settings();
        if settings.is_ok_and(|settings| {
            settings
                .accept
                .iter()
                .any(|one| one.finding == self.finding)
        }) {
            return format!("{} is accepted already", self.finding);
        }
        format!(
            "there is no finding `{}`\n  `redshank check --ids` shows the ids and paths",
            self.finding
        )
    }
}

fn show(finding: &Finding) -> Result<()> {
    let evidence = text::evidence(finding).map_or(String::new(), |evidence| {
        format!(": {}", shown(evidence.as_bytes().as_bstr()))
    });
    let path = Paint::Head.on(shown(&finding.path));
    let message = text::message(finding);
    Ok(putln!("{path}  {}: {message}{evidence}", finding.rule)?)
}
