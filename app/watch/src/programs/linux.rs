//! Which programs write, as proc(5) has it.

use super::AtWork;
use procfs::process::{FDPermissions, FDTarget, Process, all_processes};
use std::collections::HashMap;
use std::path::{Path, PathBuf};

/// What was learned of processes so far, by their numbers.
#[derive(Default)]
pub struct Programs(HashMap<i32, Known>);

/// What is known of a process.
#[derive(Default)]
struct Known {
    /// The process that started it.
    parent: i32,
    /// How many bytes it had written to disks when it was asked last; what goes to a terminal or
    /// another program doesn't count.
    writes: u64,
}

impl Programs {
    /// What programs do in a folder just now.
    pub fn at_work(&mut self, top: &Path) -> AtWork {
        let own = with_parents(std::process::id().cast_signed());
        let (mut open, mut writers) = (HashMap::new(), Vec::new());
        // Who has ended is forgotten: another process may get the number.
        let mut before = std::mem::take(&mut self.0);
        for process in all_processes().into_iter().flatten().flatten() {
            // Anyone who has ended meanwhile, or is not ours to ask, tells nothing.
            let Ok(cwd) = process.cwd() else {
                continue;
            };
            // Anyone who started us shows what we say.
            if own.contains(&process.pid()) {
                continue;
            }
            let mut known = before.remove(&process.pid()).unwrap_or_else(|| Known {
                parent: process.stat().map_or(0, |stat| stat.ppid),
                writes: 0,
            });
            for file in process.fd().into_iter().flatten().flatten() {
                let is_to_write = file.mode().contains(FDPermissions::WRITE);
                if let FDTarget::Path(path) = file.target
                    && is_to_write
                    && path.starts_with(top)
                {
                    open.insert((process.pid(), file.fd), path);
                }
            }
            let writes = process.io().map_or(known.writes, |io| io.write_bytes);
            if cwd.starts_with(top) && writes > known.writes {
                writers.push(name_of(&process));
            }
            known.writes = writes;
            self.0.insert(process.pid(), known);
        }
        // What a process has from the one that started it, that one has opened.
        let is_own = |(pid, fd): &(i32, i32), path: &PathBuf| {
            let parent = self.0.get(pid).map_or(0, |known| known.parent);
            open.get(&(parent, *fd)) != Some(path)
        };
        let opened = open.iter().filter(|(at, path)| is_own(at, path));
        let named = opened.filter_map(|((pid, _), path)| {
            Some((path.clone(), name_of(&Process::new(*pid).ok()?)))
        });
        AtWork {
            files: named.collect(),
            writers,
        }
    }
}

/// A process, the one that started it, and so on.
fn with_parents(process: i32) -> Vec<i32> {
    std::iter::successors(Some(process), |process| {
        let parent = Process::new(*process).and_then(|process| process.stat());
        Some(parent.ok()?.ppid).filter(|parent| *parent > 0)
    })
    .collect()
}

/// The name of a program; of one that runs a script, the script's, too. Nothing else of its command
/// line, for secrets may be in it.
fn name_of(process: &Process) -> String {
    let words = process.cmdline().unwrap_or_default();
    // Some programs write all of their arguments into their name.
    let name = |word: &str| {
        let word = word.split(' ').next().unwrap_or_default();
        let name = Path::new(word).file_name().unwrap_or_default();
        name.to_string_lossy().into_owned()
    };
    let Some(program) = words.first().filter(|word| !word.is_empty()) else {
        return process.stat().map(|stat| stat.comm).unwrap_or_default();
    };
    let program = name(program);
    let bare = program.trim_end_matches(|c: char| c.is_ascii_digit() || c == '.');
    let script = match bare {
        "java" => words.iter().skip_while(|word| *word != "-jar").nth(1),
        _ if INTERPRETERS.contains(&bare) => words.get(1).filter(|word| !word.starts_with('-')),
        _ => None,
    };
    match script {
        Some(script) => format!("{program} {}", name(script)),
        None => program,
    }
}

/// Programs whose first argument is a script.
const INTERPRETERS: [&str; 13] = [
    "bash", "dash", "deno", "fish", "ksh", "lua", "node", "perl", "php", "python", "ruby", "sh",
    "zsh",
];
