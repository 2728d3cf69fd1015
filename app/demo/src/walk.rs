//! The walk through the job, from a heap of files to a first commit.

#![allow(
    clippy::disallowed_methods,
    reason = "the demo is made in a new folder of its own"
)]

use super::{isolated, isolation, litter};
use anyhow::{Context, Result, bail};
use redshank_output::putln;
use redshank_text::{Paint, count};
use std::path::Path;
use std::process::Command;

enum Step {
    Say(&'static str),
    /// What we type at redshank.
    Run(&'static [&'static str]),
    /// What we type at redshank where a program is here, and that it is not.
    With(&'static str, &'static [&'static str], &'static str),
    /// What we type at git.
    Git(&'static [&'static str]),
    /// What we type at git, and a hook refuses.
    Refused(&'static [&'static str]),
    /// A file that we write.
    Write(fn() -> (&'static str, String)),
}

use Step::{Git, Refused, Run, Say, With, Write};

const STEPS: &[Step] = &[
    Say("A heap of files, and nobody has committed anything yet. What is here?"),
    Run(&["survey"]),
    Say(
        "Thousands of files instead of dozens. Somebody has tried rules already; why do they do \
         so little?",
    ),
    Run(&[
        "why",
        "exhibit/Lagoon/Library/",
        "kiosk/gradle/wrapper/gradle-wrapper.jar",
        "gateway/uplink-trace.log",
    ]),
    Say(
        "One is tied to the top, the project is two folders down; one swallows a file that the build needs; one came too late.",
    ),
    Run(&["rules"]),
    Say("A pattern's effect can be seen before it is written:"),
    Run(&["try", "*.raw"]),
    Say("Templates know what each tool makes, and are fitted to where each project is."),
    Run(&["draft", "--write", "--yes"]),
    Say("Attributes are the other half: line endings, differences. What does each line do?"),
    Run(&["draft", "--attributes", "--write", "--yes", "--quiet"]),
    Run(&["rules", "--attributes"]),
    Say("What is still wrong?"),
    Run(&["check"]),
    Say("Most of it can be fixed at once, and undone."),
    Run(&["tidy", "--apply", "--yes"]),
    Run(&["undo", "--yes"]),
    Say("Files and index are as they were. Once more, and look again:"),
    Run(&["tidy", "--apply", "--yes", "--quiet"]),
    Run(&["check"]),
    Say("Would it work for a colleague? A clone of the next commit, and a build in it:"),
    With(
        "cargo",
        &[
            "rehearse",
            "--",
            "cargo",
            "build",
            "--offline",
            "--manifest-path",
            "gateway/Cargo.toml",
        ],
        "cargo doesn't run here, so nothing is built.",
    ),
    Say("Keep it so: the same check before every commit. Now the first one."),
    Run(&["hook", "on"]),
    Git(&["add", "--all"]),
    Git(&[
        "commit",
        "--quiet",
        "--message",
        "Tidewatch: gateway, analysis, dashboard, firmware, exhibit, kiosk",
    ]),
    Git(&["status", "--short", "--branch"]),
    Say("Weeks later. A script that sends soundings to the archive, with its key in it:"),
    Write(litter::script_with_key),
    Git(&["add", "soundings/upload.sh"]),
    Refused(&[
        "commit",
        "--quiet",
        "--message",
        "Send soundings to the archive",
    ]),
    Say("Nothing went out. The script takes the key from its environment instead:"),
    Write(litter::script_without_key),
    Git(&["add", "soundings/upload.sh"]),
    Git(&[
        "commit",
        "--quiet",
        "--message",
        "Send soundings to the archive",
    ]),
];

/// Walks through the job in a demo folder, printing each command before its output.
pub fn walk(top: &Path, files: u64) -> Result<()> {
    let mut files = files;
    for step in STEPS {
        match step {
            Say(text) => putln!("\n{}", Paint::Quiet.on(format!("# {text}")))?,
            Run(words) => run(top, words)?,
            With(program, words, otherwise) if !is_here(program) => {
                putln!(
                    "\n{}",
                    Paint::Type.on(format!("$ redshank {}", typed(words)))
                )?;
                putln!("{otherwise}")?;
            }
            With(_, words, _) => run(top, words)?,
            Git(words) | Refused(words) => {
                putln!("\n{}", Paint::Type.on(format!("$ git {}", typed(words))))?;
                let wanted = !matches!(step, Refused(_));
                if isolated(top).args(*words).passed_through()? != wanted {
                    bail!(
                        "git {} did not end as it should in {}",
                        words[0],
                        top.display()
                    );
                }
            }
            Write(file) => {
                let (path, text) = file();
                putln!("\n{}", Paint::Head.on(path))?;
                // The key in it goes through the one door to the screen, as everything does.
                text.lines().try_for_each(|line| putln!("  {line}"))?;
                files += u64::from(!top.join(path).exists());
                std::fs::write(top.join(path), text).context(path)?;
            }
        }
    }
    let listed = isolated(top)
        .args(["ls-tree", "-r", "-z", "--name-only", "HEAD"])
        .output()?;
    let committed = listed
        .split(|byte| *byte == 0)
        .filter(|name| !name.is_empty())
        .count() as u64;
    let out = Paint::Good.on(format!(
        "{} files are committed, {} stayed out.",
        count(committed),
        count(files - committed.min(files))
    ));
    putln!("\n{}", Paint::Head.on("to look on, in a folder of yours"))?;
    for (typed, does) in LOOK_ON {
        let typed = Paint::Type.on(format!("{typed:38}"));
        putln!("  {typed}  {}", Paint::Quiet.on(does))?;
    }
    putln!("\n{out}")?;
    Ok(())
}

/// What a person may open next.
const LOOK_ON: &[(&str, &str)] = &[
    ("redshank live", "type a pattern, watch the tree change"),
    (
        "redshank survey --page picture.html",
        "the picture as a page",
    ),
    (
        "redshank editor",
        "for your editor to start: docs/guide/editor.md",
    ),
];

fn is_here(program: &str) -> bool {
    Command::new(program)
        .arg("--version")
        .output()
        .is_ok_and(|said| said.status.success())
}

fn run(top: &Path, words: &[&str]) -> Result<()> {
    putln!(
        "\n{}",
        Paint::Type.on(format!("$ redshank {}", typed(words)))
    )?;
    let program = std::env::current_exe().context("this program's own path")?;
    let status = Command::new(program)
        .args(words)
        .current_dir(top)
        .envs(isolation())
        .status()?;
    match status.code() {
        Some(0 | 1) => Ok(()),
        _ => bail!("redshank {} failed in {}", words[0], top.display()),
    }
}

/// The words as one would type them.
fn typed(words: &[&str]) -> String {
    let quoted = words.iter().map(|word| match word {
        word if word.contains([' ', '*']) => format!("'{word}'"),
        word => (*word).to_owned(),
    });
    quoted.collect::<Vec<_>>().join(" ")
}
