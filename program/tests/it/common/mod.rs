//! A person at a terminal: a folder of their own, a home of their own, the built program and a real
//! git.
#![allow(dead_code, reason = "each test file uses its part")]

use std::ffi::OsStr;
use std::io::{Read, Write};
use std::path::{Path, PathBuf};
use std::process::{Command, Output, Stdio};
use std::rc::Rc;

pub struct Person {
    folder: Rc<tempfile::TempDir>,
    here: PathBuf,
    settings: Vec<(String, PathBuf)>,
    /// At which boundary between two steps the program is killed.
    killed_at: Option<u32>,
}

/// What a command said.
pub struct Said {
    pub out: String,
    pub err: String,
    pub code: i32,
    pub bytes: Vec<u8>,
}

impl Said {
    fn of(output: &Output) -> Self {
        Self {
            out: String::from_utf8_lossy(&output.stdout).into_owned(),
            err: String::from_utf8_lossy(&output.stderr).into_owned(),
            code: output.status.code().unwrap_or(-1),
            bytes: output.stdout.clone(),
        }
    }

    /// Its standard output as JSON.
    pub fn json(&self) -> serde_json::Value {
        serde_json::from_str(&self.out)
            .unwrap_or_else(|error| panic!("{error} in: {}{}", self.out, self.err))
    }

    /// The command did what it was asked.
    #[track_caller]
    pub fn fine(self) -> Self {
        assert_eq!(self.code, 0, "{}{}", self.out, self.err);
        self
    }
}

impl Person {
    /// With an empty folder that is not a repository.
    pub fn new() -> Self {
        let folder = tempfile::tempdir().unwrap();
        let here = folder.path().canonicalize().unwrap().join("work");
        std::fs::create_dir_all(&here).unwrap();
        std::fs::create_dir_all(folder.path().join("home")).unwrap();
        Self {
            folder: Rc::new(folder),
            here,
            settings: Vec::new(),
            killed_at: None,
        }
    }

    /// With an empty repository.
    pub fn with_repository() -> Self {
        let person = Self::new();
        person.git(&["init", "-q", "-b", "main"]);
        person
    }

    /// With the demo laid out, ready for its first commit.
    pub fn with_demo() -> Self {
        let person = Self::new();
        person.redshank(&["demo", "--files-only", "."]).fine();
        person
    }

    /// The same person in the same folder.
    pub fn again(&self) -> Self {
        let (folder, here, settings) = (
            Rc::clone(&self.folder),
            self.here.clone(),
            self.settings.clone(),
        );
        Self {
            folder,
            here,
            settings,
            killed_at: None,
        }
    }

    pub fn here(&self) -> &Path {
        &self.here
    }

    pub fn home(&self) -> PathBuf {
        self.folder.path().join("home")
    }

    /// Goes to another folder, relative to the present one.
    pub fn goes_to(&mut self, folder: &str) {
        self.here = self.here.join(folder);
    }

    /// Goes to a folder by its whole path.
    pub fn stands_in(&mut self, folder: &Path) {
        self.here = folder.to_owned();
    }

    /// Sets a variable of the environment, to a path.
    pub fn sets(&mut self, name: &str, path: PathBuf) {
        self.settings.push((name.to_owned(), path));
    }

    /// Runs the program, killed at that boundary between two steps that change the disk. Returns
    /// whether it was.
    pub fn redshank_killed_at(&mut self, number: u32, words: &[&str]) -> bool {
        self.killed_at = Some(number);
        let said = self.redshank(words);
        self.killed_at = None;
        assert!(said.code == -1 || said.code == 0, "{}", said.err);
        said.code == -1
    }

    /// Runs the program where no file may become larger than so many KiB, as on a disk that is
    /// almost full.
    pub fn redshank_with_room_for(&self, kib: u32, words: &[&str]) -> Said {
        let mut command = self.command("bash");
        // Without the trap, the system would end the program instead of refusing.
        command.args([
            "-c",
            "trap '' XFSZ; ulimit -f $0; exec \"$@\"",
            &kib.to_string(),
            env!("CARGO_BIN_EXE_redshank"),
        ]);
        Said::of(&command.args(words).output().unwrap())
    }

    /// Runs the program where it gets no more than this many bytes of memory, and a minute at most.
    pub fn redshank_within(&self, bytes: u64, words: &[&str]) -> Said {
        let mut command = self.command("bash");
        let script = "ulimit -v $0; exec timeout --signal=KILL 60 \"$@\"";
        command.args([
            "-c",
            script,
            &(bytes >> 10).to_string(),
            env!("CARGO_BIN_EXE_redshank"),
        ]);
        Said::of(&command.args(words).output().unwrap())
    }

    /// Runs another program, which finds this one on its PATH.
    pub fn runs_with_redshank(&self, program: &str, words: &[&str]) -> Said {
        let mut command = self.command(program);
        let built = Path::new(env!("CARGO_BIN_EXE_redshank")).parent().unwrap();
        let path = std::env::var_os("PATH").unwrap();
        let path = std::iter::once(built.to_owned()).chain(std::env::split_paths(&path));
        command.env("PATH", std::env::join_paths(path).unwrap());
        Said::of(&command.args(words).output().unwrap())
    }

    /// Runs another program.
    pub fn runs(&self, program: &str, words: &[&str]) -> Said {
        Said::of(&self.command(program).args(words).output().unwrap())
    }

    /// Runs the program as somebody who may read everything here and write nothing, as on a disk
    /// that is read only.
    pub fn redshank_that_may_only_read(&self, words: &[&str]) -> Said {
        let everything = self.folder.path().to_str().unwrap();
        let program = self.folder.path().join("redshank");
        std::fs::copy(env!("CARGO_BIN_EXE_redshank"), &program).unwrap();
        let run = |program: &str, words: &[&str]| {
            assert!(
                Command::new(program)
                    .args(words)
                    .status()
                    .unwrap()
                    .success()
            );
        };
        run("chmod", &["-R", "a+rX,a-w", everything]);
        let is_root = Said::of(&Command::new("id").arg("-u").output().unwrap())
            .out
            .trim()
            == "0";
        let other = if is_root {
            &[
                "setpriv",
                "--reuid=65534",
                "--regid=65534",
                "--clear-groups",
            ][..]
        } else {
            &["env"]
        };
        let mut command = self.command(other[0]);
        command.args(&other[1..]).arg(program).args(words);
        for (name, value) in [
            ("COUNT", "1"),
            ("KEY_0", "safe.directory"),
            ("VALUE_0", "*"),
        ] {
            command.env(format!("GIT_CONFIG_{name}"), value);
        }
        let said = Said::of(&command.output().unwrap());
        run("chmod", &["-R", "u+w", everything]);
        said
    }

    /// The program on a terminal, at which a person waits for some text each time and then presses
    /// a key.
    pub fn redshank_at_a_terminal(&self, words: &str, keys: &[(&str, &str)]) -> Said {
        self.redshank_at_a_terminal_meanwhile(words, keys, &mut || {})
    }

    /// The same; something happens before the first key is pressed.
    pub fn redshank_at_a_terminal_meanwhile(
        &self,
        words: &str,
        keys: &[(&str, &str)],
        meanwhile: &mut dyn FnMut(),
    ) -> Said {
        let mut command = self.command("script");
        // Where it waits for keys that nobody presses, the test ends anyway.
        let program = env!("CARGO_BIN_EXE_redshank");
        let run = format!("timeout --foreground 60 {program} {words}");
        let command = command
            .args(["-qec", &run, "/dev/null"])
            .env("TERM", "xterm");
        let mut child = command
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        let (mut hands, mut screen) = (child.stdin.take().unwrap(), child.stdout.take().unwrap());
        let (mut seen, mut from, mut part) = (String::new(), 0, [0; 4096]);
        for (nth, (text, key)) in keys.iter().enumerate() {
            while !seen[from..].contains(text) {
                let length = screen.read(&mut part).unwrap();
                assert!(length > 0, "it ended before {text:?} in {seen}");
                seen += &String::from_utf8_lossy(&part[..length]);
            }
            from = seen.len();
            if nth == 0 {
                meanwhile();
            }
            hands.write_all(key.as_bytes()).unwrap();
        }
        screen.read_to_string(&mut seen).unwrap();
        Said {
            out: seen,
            ..Said::of(&child.wait_with_output().unwrap())
        }
    }

    /// The program on a terminal this many columns wide, without colours and with nobody to answer.
    pub fn redshank_in_columns(&self, columns: u16, words: &str) -> String {
        self.redshank_in_a_window((50, columns), &format!("{words} </dev/null"))
    }

    /// The same on one of so many rows, too.
    pub fn redshank_in_a_window(&self, (rows, columns): (u16, u16), words: &str) -> String {
        let program = env!("CARGO_BIN_EXE_redshank");
        let run = format!("stty rows {rows} columns {columns}; {program} {words} 2>/dev/null");
        let mut command = self.command("script");
        let command = command.args(["-qec", &run, "/dev/null"]);
        let command = command.env("TERM", "xterm").env("NO_COLOR", "1");
        // The terminal lives as long as somebody may type.
        let mut child = command
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        let mut seen = String::new();
        let mut screen = child.stdout.take().unwrap();
        screen.read_to_string(&mut seen).unwrap();
        child.wait().unwrap();
        seen.replace("\r\n", "\n")
    }

    /// A script of the shell's in a space of mounts of its own, with the program as `$REDSHANK`;
    /// nothing where this person may not mount.
    pub fn in_a_mount_space(&self, script: &str) -> Option<Said> {
        let mut command = self.command("unshare");
        let command = command.args(["--mount", "--propagation", "private", "sh", "-c", script]);
        let output = command
            .env("REDSHANK", env!("CARGO_BIN_EXE_redshank"))
            .output()
            .ok()?;
        let said = Said::of(&output);
        (!said.err.contains("unshare")).then_some(said)
    }

    pub fn writes(&self, path: &str, contents: impl AsRef<[u8]>) {
        let path = self.here.join(path);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, contents).unwrap();
    }

    pub fn reads(&self, path: &str) -> Vec<u8> {
        std::fs::read(self.here.join(path)).unwrap()
    }

    pub fn command(&self, program: impl AsRef<OsStr>) -> Command {
        let mut command = Command::new(program);
        command.current_dir(&self.here).env_clear();
        command
            .env("PATH", std::env::var_os("PATH").unwrap())
            .env("HOME", self.home());
        command.envs([
            ("GIT_CONFIG_NOSYSTEM", "1"),
            ("GIT_CEILING_DIRECTORIES", "/"),
            ("LC_ALL", "C"),
        ]);
        command.envs(self.settings.iter().map(|(name, path)| (name, path)));
        command.envs(
            self.killed_at
                .map(|number| ("REDSHANK_KILLED_AT", number.to_string())),
        );
        for who in ["AUTHOR", "COMMITTER"] {
            command
                .env(format!("GIT_{who}_NAME"), "Nia")
                .env(format!("GIT_{who}_EMAIL"), "nia@tidewatch.example");
        }
        command
    }

    /// The program, running, with somebody to talk to it.
    pub fn starts(&self, words: &[&str]) -> std::process::Child {
        let mut command = self.command(env!("CARGO_BIN_EXE_redshank"));
        let command = command.args(words);
        let command = command.stdin(Stdio::piped()).stdout(Stdio::piped());
        command.spawn().unwrap()
    }

    pub fn redshank(&self, words: &[&str]) -> Said {
        self.redshank_told(words, &[])
    }

    /// The program with something on its standard input.
    pub fn redshank_told(&self, words: &[&str], input: &[u8]) -> Said {
        let mut command = self.command(env!("CARGO_BIN_EXE_redshank"));
        let command = command
            .args(words)
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::piped());
        let mut child = command.spawn().unwrap();
        // A program that ends early reads nothing; what it said is looked at anyway.
        let _ = child.stdin.take().unwrap().write_all(input);
        Said::of(&child.wait_with_output().unwrap())
    }

    /// The program, started and left running.
    pub fn starts_redshank(&self, words: &[&str]) -> std::process::Child {
        let mut command = self.command(env!("CARGO_BIN_EXE_redshank"));
        command
            .args(words)
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .spawn()
            .unwrap()
    }

    #[track_caller]
    pub fn git(&self, words: &[&str]) -> Said {
        self.git_says(words).fine()
    }

    /// git, whatever its exit code.
    pub fn git_says(&self, words: &[&str]) -> Said {
        Said::of(&self.command("git").args(words).output().unwrap())
    }

    /// Paths that git lists, each once, sorted by bytes.
    pub fn git_lists(&self, words: &[&str]) -> Vec<String> {
        split(&self.git(&[&["ls-files", "-z"], words].concat()).bytes)
    }

    /// Paths that the program lists.
    pub fn lists(&self, state: &str) -> Vec<String> {
        let said = self.redshank(&["files", "--state", state, "-z"]).fine();
        said.bytes
            .split(|byte| *byte == 0)
            .filter(|name| !name.is_empty())
            .map(text)
            .collect()
    }

    /// The three states, as the program and as git list them, are the same.
    #[track_caller]
    pub fn agrees_with_git(&self) {
        assert_eq!(self.lists("tracked"), self.git_lists(&["--cached"]));
        assert_eq!(
            self.lists("candidate"),
            self.git_lists(&["--others", "--exclude-standard"])
        );
        assert_eq!(
            self.lists("ignored"),
            self.git_lists(&["--others", "--ignored", "--exclude-standard"])
        );
    }
}

/// Letters and digits that look random; other ones for another seed.
pub fn made_up(length: usize, seed: u64) -> String {
    made_up_of(
        "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789",
        length,
        seed,
    )
}

/// Text that looks random, of so many characters out of `letters`.
pub fn made_up_of(letters: &str, length: usize, seed: u64) -> String {
    let letters: Vec<char> = letters.chars().collect();
    let mut state = seed;
    let mut next = || {
        state = state
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add(1_442_695_040_888_963_407);
        letters[(state >> 33) as usize % letters.len()]
    };
    (0..length).map(|_| next()).collect()
}

fn text(bytes: &[u8]) -> String {
    String::from_utf8_lossy(bytes).into_owned()
}

fn split(listed: &[u8]) -> Vec<String> {
    let mut names: Vec<&[u8]> = listed
        .split(|byte| *byte == 0)
        .filter(|name| !name.is_empty())
        .collect();
    names.sort_unstable();
    names.dedup();
    names.into_iter().map(text).collect()
}

/// A private key, as a tool writes one; each is another.
pub fn private_key() -> String {
    use std::sync::atomic::{AtomicU64, Ordering};
    static NUMBER: AtomicU64 = AtomicU64::new(1);
    let number = NUMBER.fetch_add(1, Ordering::Relaxed);
    let line = |word: &str| format!("-----{word} RSA {} KEY-----", "PRIVATE");
    let body: Vec<String> = (0..9).map(|nth| made_up(64, number * 100 + nth)).collect();
    format!("{}\n{}\n{}\n", line("BEGIN"), body.join("\n"), line("END"))
}
