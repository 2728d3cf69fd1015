//! A watch: whatever tools create meanwhile is reported as it comes, until somebody ends it.

use super::Ran;
use anyhow::{Result, bail};
use bstr::BString;
use crossbeam_channel::{after, never, select, unbounded};
use jiff::Zoned;
use redshank_changes::rehearse::{PastRuns, Run, RunDifference, RunSnapshot};
use redshank_context::Context;
use redshank_output::{putln, signals};
use redshank_text::{self as text, Paint, files, shown};
use redshank_watch::Recorder;
use std::collections::HashSet;
use std::io::{IsTerminal, stdin};
use std::time::{Duration, Instant};

/// So long nothing must be written before it is looked at what came.
const QUIET: Duration = Duration::from_millis(700);

/// Whether somebody is there to end a watch.
pub fn can_be_ended() -> Result<()> {
    if !stdin().is_terminal() {
        bail!(
            "a watch needs a terminal, where Enter ends it\n  name a command behind `--` to look at \
             what it leaves behind"
        );
    }
    Ok(())
}

/// Watches until Enter or Ctrl-C.
pub fn watch(context: &Context) -> Result<Ran> {
    let worktree = context.snapshot.worktree();
    let past = PastRuns::read(worktree)?;
    let before = RunSnapshot::take(worktree)?;
    let recorder = Recorder::start(&worktree.top, &[]);
    let start = Instant::now();
    let interrupted = signals::awaited();
    let (pressed, entered) = unbounded();
    std::thread::spawn(move || {
        let _ = stdin().read_line(&mut String::new());
        let _ = pressed.send(());
    });
    if context.speaks() {
        let name = worktree
            .top
            .file_name()
            .unwrap_or_default()
            .to_string_lossy();
        let how = Paint::Quiet.on("let your tools run; Enter ends it");
        putln!("watching {}  {how}", Paint::Head.on(name))?;
    }
    let now = || Run {
        seen: recorder.seen(),
        ..Run::default()
    };
    let mut told = HashSet::new();
    let mut quiet = never();
    loop {
        select! {
            recv(recorder.changed()) -> _ => quiet = after(QUIET),
            recv(quiet) -> _ => {
                quiet = never();
                if context.speaks() {
                    tell(&before.difference(&now(), &past)?, &mut told)?;
                }
            }
            recv(interrupted) -> _ => break,
            recv(entered) -> _ => break,
        }
    }
    let run = now();
    let difference = before.difference(&run, &past)?;
    past.remember(worktree, &run, &difference)?;
    Ok(Ran {
        end: None,
        time: start.elapsed(),
        difference,
    })
}

/// Tells what wasn't told before.
fn tell(difference: &RunDifference, told: &mut HashSet<BString>) -> Result<()> {
    let time = Zoned::now().strftime("%H:%M:%S").to_string();
    for new in &difference.unruled {
        if told.insert(new.rule.clone()) {
            let stats = format!("{}, {}", files(new.stats.files), new.stats.size);
            let path = Paint::Warn.on(shown(&new.path));
            let about = Paint::Quiet.on(text::learned(new));
            putln!("{}  new  {path}  {stats}  {about}", Paint::Quiet.on(&time))?;
        }
    }
    Ok(())
}
