//! What help says beside the arguments: examples of each command, exit codes, classes and levels.

use crate::Arguments;
use crate::installed::Installed;
use clap::builder::Styles;
use clap::error::ErrorKind;
use clap::{Command, CommandFactory, FromArgMatches};
use redshank_context::PROGRAM;
use redshank_findings::Level;
use redshank_text::{self as text, Paint};
use redshank_worktree::Class;
use std::ffi::OsString;

/// The version, with the commit and how it was built if there is one.
fn version() -> &'static str {
    if env!("BUILT_FROM").is_empty() {
        return env!("CARGO_PKG_VERSION");
    }
    concat!(
        env!("CARGO_PKG_VERSION"),
        " (",
        env!("BUILT_FROM"),
        "; ",
        env!("BUILT_HOW"),
        ")"
    )
}

/// The program's arguments with all that help says.
pub fn command() -> Command {
    let styles = Styles::plain()
        .header(Paint::Head.style())
        .usage(Paint::Head.style())
        .literal(Paint::Type.style())
        .error(Paint::Bad.style())
        .valid(Paint::Good.style())
        .invalid(Paint::Warn.style());
    let command = Arguments::command().styles(styles).version(version());
    let names: Vec<String> = command
        .get_subcommands()
        .map(|one| one.get_name().to_owned())
        .collect();
    let command = names.iter().fold(command, |command, name| {
        command.mut_subcommand(name, |one| one.after_help(text_of_examples(name)))
    });
    command.after_help(text_of_codes()).after_long_help(format!(
        "{}\n\n{}",
        text_of_codes(),
        text_of_words()
    ))
}

/// Reads the arguments of this run; help, the version and mistakes end the program, as people
/// expect.
pub fn arguments() -> Arguments {
    let given: Vec<OsString> = std::env::args_os().collect();
    let matches = match command().try_get_matches_from(&given) {
        Ok(matches) => matches,
        Err(error) if error.kind() == ErrorKind::DisplayVersion => {
            let installed = Installed::find().map_or(String::new(), |found| found.line() + "\n");
            let said = redshank_output::put!("{error}{installed}");
            std::process::exit(if said.is_ok() { 0 } else { 2 });
        }
        Err(error) => mistaken(&given, error).exit(),
    };
    Arguments::from_arg_matches(&matches).unwrap_or_else(|error| error.exit())
}

/// What is said of a mistake. Anyone who asks for help on a misspelt command is shown the right
/// one, as if the command itself was misspelt.
fn mistaken(given: &[OsString], error: clap::Error) -> clap::Error {
    let is_help = given.get(1).is_some_and(|word| word == "help");
    if error.kind() != ErrorKind::InvalidSubcommand || !is_help {
        return error;
    }
    let without_help = given.iter().take(1).chain(given.get(2));
    match command().try_get_matches_from(without_help) {
        Err(better) if better.kind() == ErrorKind::InvalidSubcommand => better,
        _ => error,
    }
}

/// Examples of each command, and what each does; docs and manual pages show them, too.
const EXAMPLES: &[(&str, &[(&str, &str)])] = &[
    (
        "setup",
        &[
            (
                "setup",
                "goes to a clean first commit, question by question",
            ),
            (
                "setup --yes --commit 'Begin'",
                "takes every step, without questions",
            ),
        ],
    ),
    (
        "survey",
        &[
            ("survey", "the whole repository"),
            ("survey dashboard", "one folder of it"),
        ],
    ),
    (
        "templates",
        &[
            ("templates python", "those with that in their name or title"),
            ("templates .blend", "those that know this type of file"),
            ("templates show rust", "one, with its reasons"),
        ],
    ),
    (
        "draft",
        &[
            ("draft", "rules for what is here; shows them first"),
            (
                "draft rust@gateway --write",
                "one template's, for one folder",
            ),
            ("draft --refresh --write", "what newer templates bring"),
        ],
    ),
    (
        "try",
        &[
            ("try '*.raw' /build/", "what two patterns would do"),
            (
                "try '*.raw' --on new.raw notes.txt",
                "which of two paths they would ignore",
            ),
        ],
    ),
    (
        "add",
        &[
            ("add '*.raw' --write", "for everyone"),
            ("add notes.txt --for clone --write", "for nobody else"),
            (
                "add --like soundings/may.raw",
                "made from a file: pick how much of it",
            ),
            (
                "add --contents-of outbox --write",
                "keeps the folder, ignores its contents",
            ),
        ],
    ),
    ("drop", &[("drop '*.raw' --write", "removes the rule")]),
    (
        "why",
        &[
            (
                "why build/out.o",
                "the rule that decides, and what nearly did",
            ),
            (
                "why --quiet build/out.o",
                "only the exit code: 0 if it is ignored",
            ),
            (
                "why --attributes build/out.o",
                "its attributes, and the lines that give them",
            ),
        ],
    ),
    (
        "rules",
        &[
            ("rules", "each with what it matches"),
            ("rules --idle", "those that don't do what they look like"),
        ],
    ),
    (
        "prove",
        &[
            (
                "prove --record --write",
                "records today's ignored and kept files",
            ),
            ("prove --format junit", "for continuous integration"),
        ],
    ),
    (
        "files",
        &[
            ("files", "what a commit of everything would hold"),
            ("files --tree 2", "by folder, biggest first"),
            ("files --largest 10", "the ten largest files"),
            (
                "files --state ignored gateway",
                "what is ignored in a folder",
            ),
        ],
    ),
    (
        "check",
        &[
            ("check", "all there is"),
            ("check --staged --level error", "what the hook checks"),
            ("check --format sarif", "for a host's own view"),
            ("check --ids", "with ids, for `accept`"),
        ],
    ),
    (
        "accept",
        &[(
            "accept 3f9a1c --because 'a key for tests' --write",
            "records that this finding is OK",
        )],
    ),
    (
        "tidy",
        &[
            ("tidy", "the plan"),
            ("tidy --apply", "applies it"),
            (
                "tidy --only generated --remove --apply",
                "moves away what can be made again, too",
            ),
        ],
    ),
    (
        "untrack",
        &[
            (
                "untrack notes.md build/",
                "what would be untracked, and its effect on others",
            ),
            (
                "untrack --ignored --apply",
                "all that rules match, although it is tracked",
            ),
        ],
    ),
    (
        "undo",
        &[
            ("undo", "the last change"),
            ("undo --list", "all that can be undone"),
        ],
    ),
    (
        "mute",
        &[
            ("mute settings.toml", "git sees no changes to it here"),
            ("mute --list", "which files that are"),
        ],
    ),
    (
        "unmute",
        &[("unmute settings.toml", "git sees its changes again")],
    ),
    (
        "rehearse",
        &[
            ("rehearse", "what a fresh clone would lack"),
            ("rehearse -- make", "whether a command works in it"),
            (
                "rehearse --prove -- make",
                "what it makes again of what nobody seems to have written",
            ),
            (
                "rehearse --here -- make",
                "what a command leaves behind here",
            ),
            ("rehearse --here", "what comes while you work, until Enter"),
        ],
    ),
    (
        "outgoing",
        &[
            (
                "outgoing",
                "what a push would send, and what in it shouldn't be seen",
            ),
            (
                "outgoing origin/main --compare",
                "what others lack, and why",
            ),
        ],
    ),
    (
        "review",
        &[
            ("review", "what your change of rules on disk does"),
            (
                "review main..HEAD",
                "what the rules of a branch put in and out",
            ),
        ],
    ),
    (
        "hook",
        &[
            ("hook on", "checks staged files before each commit"),
            ("hook off", "removes the check"),
        ],
    ),
    (
        "live",
        &[(
            "live",
            "type a pattern, watch the tree change; F1 shows the keys",
        )],
    ),
    (
        "editor",
        &[(
            "editor",
            "started by an editor, in the folder that it has open",
        )],
    ),
    (
        "policy",
        &[
            (
                "policy use ../policy --revision v2",
                "copies a policy here and follows it",
            ),
            ("policy update", "fetches it again"),
        ],
    ),
    (
        "settings",
        &[
            ("settings", "each, and where it comes from"),
            (
                "settings limits.file_error '50 MiB' --write",
                "sets one for the repository",
            ),
        ],
    ),
    (
        "completions",
        &[(
            "completions bash",
            "for bash; write it where bash looks for it",
        )],
    ),
    (
        "manual",
        &[
            ("manual check", "one page"),
            ("manual --into man", "all of them, for a package"),
        ],
    ),
    (
        "demo",
        &[
            (
                "demo",
                "makes it in a folder for once, and walks through it",
            ),
            ("demo --files-only tidewatch", "only makes it"),
        ],
    ),
];

/// The examples of a command: what is typed, and what it does.
pub fn examples(command: &str) -> &'static [(&'static str, &'static str)] {
    let examples = EXAMPLES.iter().find(|(name, _)| *name == command);
    examples.map_or(&[][..], |(_, examples)| examples)
}

fn text_of_examples(command: &str) -> String {
    let examples = examples(command);
    let mut text = Paint::Head.on("Examples:");
    for (typed, does) in examples {
        let typed = Paint::Type.on(format!("{PROGRAM} {typed}"));
        text += &format!("\n  {typed}\n      {does}");
    }
    text
}

/// The exit codes, and what they mean.
pub const CODES: &[(&str, &str)] = &[
    ("0", "fine"),
    (
        "1",
        "it found what it looks for: findings, a failed expectation, a path that isn't ignored",
    ),
    ("2", "it could not do it"),
];

fn text_of_codes() -> String {
    let codes = CODES
        .iter()
        .map(|(code, means)| format!("\n  {code}  {means}"));
    format!(
        "{}{}",
        Paint::Head.on("Exit codes:"),
        codes.collect::<String>()
    )
}

/// The day of the commit that this was built from; empty if that isn't known.
pub fn built_on() -> &'static str {
    env!("BUILT_FROM").split(" of ").nth(1).unwrap_or_default()
}

fn text_of_words() -> String {
    let row =
        |word: &str, means: &str| format!("\n  {}  {means}", Paint::Type.on(format!("{word:9}")));
    let classes = Class::ALL.map(|class| row(class.word(), text::class(class)));
    let levels = Level::ALL.map(|level| row(level.word(), text::level(level)));
    format!(
        "{}{}\n\n{}{}",
        Paint::Head.on("Classes of findings:"),
        classes.concat(),
        Paint::Head.on("Levels:"),
        levels.concat()
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_command_has_examples_that_it_understands() {
        let command = command();
        let with_examples = EXAMPLES.iter().map(|(name, _)| *name);
        let with_examples: Vec<&str> = with_examples.collect();
        let all = command.get_subcommands().map(Command::get_name);
        assert_eq!(with_examples, all.collect::<Vec<_>>());
        for (_, examples) in EXAMPLES {
            for (typed, _) in *examples {
                let mut words = vec![PROGRAM.to_owned()];
                words.extend(shell_words::split(typed).unwrap());
                let read = command.clone().try_get_matches_from(words);
                assert!(read.is_ok(), "{typed}: {}", read.unwrap_err());
            }
        }
    }
}
