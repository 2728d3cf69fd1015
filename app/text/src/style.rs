//! The palette. Colour only repeats what a word says already.

use anstyle::{Ansi256Color, Color, Style};
use redshank_findings::Level;
use redshank_worktree::Class;
use std::fmt::Display;

/// What a piece of text is, which decides its colour.
#[derive(Clone, Copy)]
pub enum Paint {
    /// A heading.
    Head,
    /// What needs no colour.
    Plain,
    /// What must not stay so: the red of the bird's legs.
    Bad,
    /// What should be looked at: wet sand.
    Warn,
    /// What is fine: eelgrass.
    Good,
    /// What is reported in passing: shallow water.
    Quiet,
    /// What can be typed: deep water.
    Type,
}

impl Paint {
    /// Its number among the 256 colours of a terminal, and whether it's bold.
    pub fn color(self) -> (Option<u8>, bool) {
        match self {
            Self::Head => (None, true),
            Self::Plain => (None, false),
            Self::Bad => (Some(203), true),
            Self::Warn => (Some(179), false),
            Self::Good => (Some(72), false),
            Self::Quiet => (Some(246), false),
            Self::Type => (Some(74), false),
        }
    }

    /// As a terminal's own style.
    pub fn style(self) -> Style {
        let (color, bold) = self.color();
        let style = Style::new().fg_color(color.map(|number| Color::Ansi256(Ansi256Color(number))));
        if bold { style.bold() } else { style }
    }

    /// The text in its colour; the stream takes the colour out again where none is wanted.
    pub fn on(self, text: impl Display) -> String {
        let style = self.style();
        format!("{style}{text}{style:#}")
    }
}

/// The colour of a level.
pub fn level_paint(level: Level) -> Paint {
    match level {
        Level::Error => Paint::Bad,
        Level::Warning => Paint::Warn,
        Level::Note => Paint::Quiet,
    }
}

/// The colour of a class.
pub fn class_paint(class: Class) -> Paint {
    match class {
        Class::Secret | Class::Reserved => Paint::Bad,
        Class::Oversized | Class::Generated | Class::Needed => Paint::Warn,
        Class::Personal | Class::Rule => Paint::Quiet,
    }
}
