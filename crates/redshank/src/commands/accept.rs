use crate::cli::Format;
use crate::context::Context;
use crate::putln;
use crate::render::{self, Paint, shown};
use crate::report::FindingOut;
use anyhow::{Context as _, Result, bail};
use bstr::ByteSlice;
use clap::Args;
use jiff::civil::Date;
use redshank_core::findings::{Ask, Finding, accepting, find_in, today};
use redshank_core::journal::{Changes, FileChange, Journal, write_without_journal};
use redshank_core::settings;
use std::process::ExitCode;

/// Record that a finding is all right, and why
#[derive(Args)]
pub struct Accept {
    /// The finding's id; `redshank check -v` shows it
    finding: String,
    /// Why it is all right
    #[arg(long, value_name = "REASON")]
    because: Option<String>,
    /// The last day on which that holds
    #[arg(long, value_name = "YYYY-MM-DD")]
    until: Option<Date>,
    /// Write it into redshank.toml
    #[arg(long)]
    write: bool,
}

impl Accept {
    pub fn run(&self, context: &Context) -> Result<ExitCode> {
        context.recover(self.write || context.has_somebody())?;
        let place = &context.place;
        if self.until.is_some_and(|until| until < today()) {
            bail!("--until names a day that is past\n  name today or a later one");
        }
        let found = find_in(place, &Ask::default())?;
        let finding = found
            .findings
            .iter()
            .find(|finding| finding.id == self.finding);
        let finding = finding.with_context(|| self.unknown(context))?;
        if context.for_people() {
            told(finding)?;
        }
        let because = self.reason(context)?;
        let path = place.path(settings::FILE.into());
        let held = settings::text(place)?;
        let before = held.clone().unwrap_or_default();
        let after = accepting(&before, &path, finding, &because, self.until)?;
        if context.for_people() && !context.asked.quiet {
            crate::put!(
                "{}",
                render::diff(settings::FILE, before.as_bytes(), after.as_bytes())
            )?;
        }
        let told = self.write || context.has_somebody() && !context.asked.yes;
        let written = told && context.confirm("Write it?")?;
        if written {
            let change = FileChange::of(
                settings::FILE.into(),
                held.map(String::into_bytes),
                after.into_bytes(),
            );
            match &place.repository {
                Some(_) => Journal::of(place)?.apply("accept", &Changes::of_files(vec![change]))?,
                None => write_without_journal(place, &change)?,
            }
        }
        if !context.for_people() {
            render::json(
                &serde_json::json!({ "finding": FindingOut::from(finding), "because": because, "written": written }),
            )?;
        } else if written && place.repository.is_none() {
            putln!("{}", Paint::Good.on("written"))?;
        } else if written {
            putln!(
                "{}; {} takes it back",
                Paint::Good.on("written"),
                Paint::Type.on("redshank undo")
            )?;
        } else {
            putln!(
                "nothing was written; {} writes it",
                Paint::Type.on("--write")
            )?;
        }
        Ok(ExitCode::SUCCESS)
    }

    fn reason(&self, context: &Context) -> Result<String> {
        match &self.because {
            Some(because) if !because.trim().is_empty() => Ok(because.clone()),
            None if context.has_somebody() && context.asked.format == Format::Text => {
                let theme = dialoguer::theme::SimpleTheme;
                Ok(dialoguer::Input::with_theme(&theme)
                    .with_prompt("Why is it all right?")
                    .interact_text()?)
            }
            _ => bail!("an acceptance needs a reason\n  say it with --because"),
        }
    }

    fn unknown(&self, context: &Context) -> String {
        let known = context.settings().is_ok_and(|settings| {
            settings
                .accept
                .iter()
                .any(|one| one.finding == self.finding)
        });
        if known {
            return format!("{} is accepted already", self.finding);
        }
        format!(
            "there is no finding `{}`\n  `redshank check -v` shows the ids",
            self.finding
        )
    }
}

fn told(finding: &Finding) -> Result<()> {
    let evidence = finding.evidence.as_ref().map_or(String::new(), |evidence| {
        format!(": {}", shown(evidence.as_bytes().as_bstr()))
    });
    Ok(putln!(
        "{}  {}: {}{evidence}",
        Paint::Head.on(shown(finding.path.as_bstr())),
        finding.rule,
        finding.message
    )?)
}
