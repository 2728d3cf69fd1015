//! The full-screen view, at a terminal whose screen is read.

use crate::common::Person;
use std::io::{Read, Write};
use std::process::{Child, ChildStdin, Stdio};
use std::sync::mpsc::{Receiver, channel};
use std::time::Duration;

/// A terminal with the view on it.
pub struct Terminal {
    child: Child,
    hands: ChildStdin,
    output: Receiver<Vec<u8>>,
    screen: vt100::Parser,
    /// All that came, for what a screen doesn't keep.
    all: Vec<u8>,
}

impl Terminal {
    fn of(nia: &Person, size: (u16, u16), environment: &str) -> Self {
        let (program, root) = (env!("CARGO_BIN_EXE_redshank"), nia.here().display());
        let view = format!("timeout --foreground 60 {program} live --root {root}; echo left $?");
        Self::with(nia, size, &format!("{environment} {view}"))
    }

    /// A terminal on which something runs.
    pub fn with(nia: &Person, (rows, columns): (u16, u16), program: &str) -> Self {
        let run = format!("stty rows {rows} columns {columns}; {program}");
        let mut command = nia.command("script");
        let command = command
            .args(["-qec", &run, "/dev/null"])
            .env("TERM", "xterm-256color");
        let mut child = command
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        let (hands, mut from) = (child.stdin.take().unwrap(), child.stdout.take().unwrap());
        let (came, output) = channel();
        std::thread::spawn(move || {
            let mut part = [0; 8192];
            while let Ok(length) = from.read(&mut part) {
                if length == 0 || came.send(part[..length].to_vec()).is_err() {
                    return;
                }
            }
        });
        let screen = vt100::Parser::new(rows.try_into().unwrap(), columns.try_into().unwrap(), 0);
        Self {
            child,
            hands,
            output,
            screen,
            all: Vec::new(),
        }
    }

    pub fn types(&mut self, keys: &str) {
        self.hands.write_all(keys.as_bytes()).unwrap();
        self.hands.flush().unwrap();
    }

    fn text(&self) -> String {
        self.screen.screen().contents()
    }

    /// Waits until the screen is as it should be.
    #[track_caller]
    pub fn sees(&mut self, what: &str, is: impl Fn(&str) -> bool) -> String {
        while !is(&self.text()) {
            match self.output.recv_timeout(Duration::from_secs(20)) {
                Ok(part) => {
                    self.screen.process(&part);
                    self.all.extend(part);
                }
                Err(_) => panic!("it never came to this: {what}\n{}", self.text()),
            }
        }
        self.text()
    }

    #[track_caller]
    pub fn shows(&mut self, part: &str) -> String {
        self.sees(part, |text| text.contains(part))
    }

    /// It is left; the terminal is as it was.
    #[track_caller]
    fn is_left(&mut self, code: i32) {
        self.shows(&format!("left {code}"));
        let screen = self.screen.screen();
        assert!(!screen.alternate_screen() && !screen.hide_cursor());
        assert_eq!(screen.mouse_protocol_mode(), vt100::MouseProtocolMode::None);
        self.child.wait().unwrap();
    }
}

fn ground() -> Person {
    let nia = Person::with_repository();
    for number in 0..3 {
        nia.writes(&format!("soundings/{number}.raw"), "0123456789");
    }
    nia.writes("src/main.rs", "fn main() {}\n");
    nia
}

#[test]
fn files_go_grey_while_a_pattern_is_typed() {
    let nia = ground();
    for size in [(24, 80), (40, 140)] {
        let mut view = Terminal::of(&nia, size, "");
        let text = view.shows("to commit: 4 files, 43 B");
        assert!(
            text.contains("> soundings/") && text.contains("F1 keys"),
            "{text}"
        );
        view.types("*.raw");
        let text = view.shows("- ignores 3 files");
        assert!(text.contains("4 files, 43 B  ->  1 file, 13 B"), "{text}");
        assert!(
            text.contains("- ignored          3       30 B  > soundings/"),
            "{text}"
        );
        // Into the folder, and why the file is what it is.
        view.types("\x1b[C\x1b[B");
        view.shows("0.raw is ignored");
        view.types("\x15*.nowhere");
        view.shows("`*.nowhere`: matches nothing");
        view.types("\x1b");
        view.sees("an empty pattern", |text| {
            text.contains("pattern:    for everyone")
        });
        view.types("\x1b");
        view.is_left(0);
    }
    assert!(!nia.here().join(".gitignore").exists());
}

#[test]
fn a_rule_is_made_from_a_row_written_and_taken_back() {
    let nia = ground();
    let mut view = Terminal::of(&nia, (30, 120), "");
    view.shows("> soundings/");
    view.types("\t");
    view.shows("pattern: /soundings/");
    view.types("\t");
    view.shows("pattern: soundings/");
    view.types("\x14");
    view.shows("in soundings/.gitignore");
    view.types("\x14");
    view.shows("only in this clone");
    view.types("\r");
    view.shows("write `soundings/`? Enter does it");
    view.types("x");
    view.shows("left as it is");
    view.types("\r\r");
    view.shows("written; Ctrl-R undoes it");
    view.shows("to commit: 1 file");
    assert!(nia.reads(".git/info/exclude").ends_with(b"soundings/\n"));
    view.types("\x12\r");
    view.shows("the last change is undone");
    view.shows("to commit: 4 files");
    assert!(!nia.reads(".git/info/exclude").ends_with(b"soundings/\n"));
    view.types("\x03");
    view.is_left(0);
}

#[test]
fn rows_are_found_by_a_part_of_their_name_and_by_their_findings() {
    let nia = ground();
    nia.writes("deep/in/Gauge.pem", crate::common::private_key());
    let mut view = Terminal::of(&nia, (24, 90), "");
    view.shows("> soundings/");
    // A folder says that something in it was found.
    view.shows("!> deep/");
    view.types("\x06ga");
    let text = view.shows("find: ga   1 row;");
    assert!(
        text.contains("deep/in/Gauge.pem") && !text.contains("soundings/"),
        "{text}"
    );
    view.types("\x7f\x7f!");
    view.shows("find: !   1 row;");
    // The row can be worked with, and Esc shows all again.
    view.types("\r\t");
    view.shows("pattern: /deep/in/Gauge.pem");
    view.types("\x15");
    view.shows("1 row with findings");
    view.types("\x1b");
    view.shows("> soundings/");
    // A folder that was found is opened where it is.
    view.types("\x06in\r\r");
    view.sees("the folder in its place", |text| {
        text.contains("v deep/") && text.contains("v in/") && text.contains("Gauge.pem")
    });
    view.types("\x1b");
    view.is_left(0);
}

#[test]
fn a_pattern_fits_the_file_of_each_place() {
    let nia = ground();
    let mut view = Terminal::of(&nia, (24, 120), "");
    view.shows("> soundings/");
    view.types("/soundings/*.raw");
    view.shows("- ignores 3 files");
    view.types("\x1b[B\x1b[A\x14");
    let text = view.shows("in soundings/.gitignore");
    assert!(text.contains("pattern: /*.raw "), "{text}");
    view.shows("- ignores 3 files");
    view.types("\x14");
    let text = view.shows("only in this clone");
    assert!(text.contains("pattern: /soundings/*.raw "), "{text}");
    view.types("\x1b");
    view.sees("an empty pattern", |text| text.contains("pattern:    only"));
    view.types("\x1b");
    view.is_left(0);
}

#[test]
fn what_a_build_writes_shows_up_first() {
    let nia = ground();
    let mut view = Terminal::of(&nia, (24, 80), "");
    view.shows("> soundings/");
    nia.writes("made/by/build.o", "1");
    let text = view.shows("> made/");
    let row = |name: &str| text.lines().position(|line| line.contains(name)).unwrap();
    assert!(row("> made/") < row("> soundings/"), "{text}");
    assert!(
        text.lines()
            .any(|line| line.starts_with("* ") && line.contains("made/")),
        "{text}"
    );
    // Nobody has chosen another row: a pattern is made from what is new.
    view.types("\t");
    view.shows("pattern: /made/");
    view.types("\x03");
    view.is_left(0);
}

#[test]
fn a_rule_is_learned_from_what_a_tool_writes_and_none_from_work() {
    let nia = ground();
    nia.writes(
        "tool.sh",
        "mkdir out; exec 3> out/a.bin 4> level.bin; echo 1 >&3; sleep 2\n",
    );
    let mut view = Terminal::of(&nia, (40, 140), "");
    view.shows("> soundings/");
    let mut tool = nia.command("sh").arg("tool.sh").spawn().unwrap();
    view.shows("appeared; Ctrl-N ignores it");
    view.types("\x0e");
    view.shows("pattern: /level.bin");
    view.types("\x0e");
    view.shows("pattern: /out/");
    view.shows("- ignores 1 file");
    view.types("\x0e");
    view.shows("pattern: /level.bin");
    // Why a row isn't among them.
    view.types("\x15");
    view.shows("appeared; Ctrl-N ignores it");
    view.types("\x1b[H");
    let text = view.sees("the file by hand", |text| text.contains("by sh tool.sh"));
    let (_, about) = text.split_once("new since start").unwrap();
    assert!(about.contains("a rule for it: /"), "{text}");
    tool.wait().unwrap();
    nia.writes("new.py", "x = 1\n");
    view.shows("    new.py");
    view.types("\x1b[H");
    view.shows("new since start; looks like source files");
    view.types("\x03");
    view.is_left(0);
}

#[test]
fn it_is_put_aside_and_comes_back_and_grows_with_the_terminal() {
    let nia = ground();
    let (program, root) = (env!("CARGO_BIN_EXE_redshank"), nia.here().display());
    let resize = format!(
        "(until [ -e {root}/.git/wide ]; do sleep 0.1; done; stty rows 40 columns 140 </dev/tty) & "
    );
    let mut view = Terminal::with(
        &nia,
        (24, 80),
        &format!("{resize} PS1='ready: ' bash --norc -i"),
    );
    view.shows("ready:");
    view.types(&format!("{program} live --root {root}\n"));
    view.shows("> soundings/");
    view.types("*.raw");
    view.shows("- ignores 3 files");
    view.types("\x1a");
    view.shows("Stopped");
    assert!(!view.screen.screen().alternate_screen() && !view.screen.screen().hide_cursor());
    view.types("fg\n");
    view.shows("- ignores 3 files");
    nia.writes(".git/wide", "");
    view.screen
        .screen_mut()
        .set_size(40.try_into().unwrap(), 140.try_into().unwrap());
    // What is known of a row is beside the tree, and the foot on the last line.
    view.sees("a wide picture", |text| {
        let lines: Vec<&str> = text.lines().collect();
        lines.len() == 40 && lines[39].contains("F1 keys")
    });
    view.types("\x03");
    view.sees("the prompt", |text| text.trim_end().ends_with("ready:"));
    view.types("echo left $?; exit\n");
    view.is_left(0);
}

#[test]
fn the_mouse_chooses_a_row_and_opens_it() {
    let nia = ground();
    let mut view = Terminal::of(&nia, (40, 140), "");
    let text = view.shows("> src/");
    let row = text.lines().position(|line| line.contains("> src/"));
    let click = format!("\x1b[<0;10;{}M", row.unwrap() + 1);
    view.types(&click);
    view.shows("src/ is not ignored");
    view.types(&click);
    view.shows("    main.rs");
    view.types("\x03");
    view.is_left(0);
}

#[test]
fn a_key_is_little_to_a_slow_line_and_letters_of_ascii_are_enough() {
    let nia = ground();
    let mut view = Terminal::of(&nia, (40, 140), "");
    view.shows("F1 keys");
    view.shows("> soundings/");
    view.types("*.ra");
    view.shows("pattern: *.ra ");
    let before = view.all.len();
    view.types("w");
    view.shows("- ignores 3 files");
    let sent = view.all.len() - before;
    assert!((1..2_000).contains(&sent), "{sent} bytes");
    view.types("\x03");
    view.is_left(0);
    assert!(view.all.is_ascii());
}

#[test]
fn it_needs_no_colour_and_the_terminal_is_whole_after_a_signal() {
    let nia = ground();
    nia.writes("odd\u{1b}]0;x\u{7}\u{202e}name", "1");
    let mut view = Terminal::of(&nia, (24, 80), "NO_COLOR=1");
    view.types("*.raw");
    view.shows("- ignored");
    let all = String::from_utf8_lossy(&view.all).into_owned();
    assert!(
        !all.contains("38;5;") && !all.contains("\x1b]0;x"),
        "{all:?}"
    );
    let this_one = format!(
        "^{} live --root {}$",
        env!("CARGO_BIN_EXE_redshank"),
        nia.here().display()
    );
    nia.runs("pkill", &["-TERM", "-f", &this_one]);
    view.is_left(130);
    // Without a terminal it says what tells the same.
    let said = nia.redshank(&["live"]);
    assert!(
        said.code == 2 && said.err.contains("redshank try"),
        "{}",
        said.err
    );
}

/// What is pasted is typed, whatever line ends are in it; keys that come all at once count in their
/// order, and the picture is that of what is on disk.
#[test]
fn what_is_pasted_is_no_answer_and_fast_keys_leave_a_true_picture() {
    let nia = ground();
    let mut view = Terminal::of(&nia, (24, 80), "");
    view.shows("> soundings/");
    view.types("\x1b[200~*.raw\n*.log\n\x1b[201~");
    view.shows("pattern: *.raw");
    view.shows("only the first line");
    assert!(!nia.here().join(".gitignore").exists());
    view.types("\x1b");
    view.shows("pattern:    for everyone");
    view.types("*.raw\r\r");
    view.shows("written; Ctrl-R undoes it");
    assert_eq!(nia.reads(".gitignore"), b"*.raw\n");
    view.types("*.raw\r\r");
    view.shows("`*.raw` is already in .gitignore");
    view.types("\x12\r");
    view.shows("the last change is undone");
    // 3 recordings and a source.
    view.sees("all files as before", |text| text.contains("4 files"));
    assert!(!nia.here().join(".gitignore").exists());
    view.types("\x03");
    view.is_left(0);
}
