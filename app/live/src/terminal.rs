//! The terminal: taken, drawn on, and given back as it was, whatever happens.

use super::look::{WorkerEvent, WorkerRequest};
use super::view;
use super::window::{Next, Window};
use anyhow::Result;
use crossbeam_channel::{Receiver, Sender, select, unbounded};
use ratatui::DefaultTerminal;
use ratatui::crossterm::event::{
    self, DisableBracketedPaste, DisableMouseCapture, EnableBracketedPaste, EnableMouseCapture,
    Event,
};
use ratatui::crossterm::execute;
use redshank_output::signals;
use std::io::stdout;

/// Shows the view until somebody leaves it.
pub fn show(jobs: &Sender<WorkerRequest>, news: &Receiver<WorkerEvent>) -> Result<()> {
    signals::clears_up(give_back);
    give_back_before_a_crash();
    let mut terminal = take();
    let (pressed, keys) = unbounded();
    std::thread::spawn(move || {
        while let Ok(event) = event::read() {
            if pressed.send(event).is_err() {
                return;
            }
        }
    });
    let mut window = Window::new();
    let ended = converse(&mut window, &mut terminal, jobs, news, &keys);
    give_back();
    ended
}

#[allow(
    clippy::disallowed_methods,
    reason = "the terminal itself, not what is printed"
)]
fn take() -> DefaultTerminal {
    let terminal = ratatui::init();
    let _ = execute!(stdout(), EnableMouseCapture, EnableBracketedPaste);
    terminal
}

/// Errors are printed on a terminal that is as it was before.
fn give_back_before_a_crash() {
    let tells = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |crash| {
        give_back();
        tells(crash);
    }));
}

/// The terminal as it was.
#[allow(
    clippy::disallowed_methods,
    reason = "the terminal itself, not what is printed"
)]
fn give_back() {
    let _ = execute!(stdout(), DisableBracketedPaste, DisableMouseCapture);
    // Where the terminal is gone, there is nobody to tell.
    let _ = ratatui::try_restore();
}

/// Keys in, pictures out.
fn converse(
    window: &mut Window,
    terminal: &mut DefaultTerminal,
    jobs: &Sender<WorkerRequest>,
    news: &Receiver<WorkerEvent>,
    keys: &Receiver<Event>,
) -> Result<()> {
    loop {
        terminal.draw(|frame| view::draw(window, frame))?;
        let first = select! {
            recv(keys) -> event => Some(event?),
            recv(news) -> found => {
                window.learn(found?, jobs);
                None
            }
        };
        // What has come meanwhile needs no picture of its own, on a slow line least of all.
        for event in first.into_iter().chain(keys.try_iter()) {
            match window.take_in(event, jobs) {
                Next::Stay => {}
                Next::Leave => return Ok(()),
                Next::Suspend => {
                    give_back();
                    signals::suspend();
                    *terminal = take();
                }
            }
        }
        for found in news.try_iter() {
            window.learn(found, jobs);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::process::{Command, Stdio};

    /// Set where a test is to crash, for another to look at.
    const CRASHES: &str = "REDSHANK_TEST_CRASHES";

    #[test]
    fn crashes_where_it_is_told_to() {
        if std::env::var_os(CRASHES).is_some() {
            give_back_before_a_crash();
            let _terminal = take();
            panic!("the picture fell down");
        }
    }

    #[test]
    #[allow(clippy::disallowed_methods, reason = "this test, at a terminal")]
    fn the_terminal_is_whole_after_a_crash() {
        let this_one = std::env::current_exe().unwrap();
        let test = format!(
            "{} --exact --nocapture terminal::tests::crashes_where_it_is_told_to",
            this_one.display()
        );
        let mut child = Command::new("script")
            .args(["-qec", &test, "/dev/null"])
            .env(CRASHES, "1")
            .env("RUST_BACKTRACE", "0")
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        // The terminal lives as long as somebody may type.
        let _hands = child.stdin.take();
        let output = child.wait_with_output().unwrap();
        let mut screen = vt100::Parser::default();
        screen.process(&output.stdout);
        let screen = screen.screen();
        assert!(!screen.alternate_screen() && !screen.hide_cursor());
        assert_eq!(screen.mouse_protocol_mode(), vt100::MouseProtocolMode::None);
        let told = screen.contents();
        assert!(told.contains("the picture fell down"), "{told}");
    }
}
