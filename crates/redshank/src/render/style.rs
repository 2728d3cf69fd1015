//! The palette. Colour only repeats what a word says already.

use anstyle::{Ansi256Color, Color, Style};
use redshank_core::findings::{Class, Level};
use std::fmt::Display;

/// What a piece of text is, which decides its colour.
#[derive(Clone, Copy)]
pub enum Paint {
    /// A heading.
    Head,
    /// What must not stay so: the red of the bird's legs.
    Bad,
    /// What should be looked at: wet sand.
    Warn,
    /// What is fine: eelgrass.
    Good,
    /// What is told in passing: shallow water.
    Quiet,
    /// What can be typed: deep water.
    Type,
}

impl Paint {
    fn style(self) -> Style {
        let color = |number| Style::new().fg_color(Some(Color::Ansi256(Ansi256Color(number))));
        match self {
            Self::Head => Style::new().bold(),
            Self::Bad => color(203).bold(),
            Self::Warn => color(179),
            Self::Good => color(72),
            Self::Quiet => color(246),
            Self::Type => color(74),
        }
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
