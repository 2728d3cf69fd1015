//! The palette. Colour only repeats what a word says already.
//!
//! A program isn't told whether a terminal is dark or light, so each colour is one that can be read
//! on both: its contrast with black and with white is 4.5:1 or more (WCAG 2.2, 1.4.3).

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
    /// What must not stay so: samphire in autumn.
    Bad,
    /// What should be looked at: the red of the bird's legs.
    Warn,
    /// What is fine: eelgrass.
    Good,
    /// What is reported in passing: wet sand.
    Quiet,
    /// What can be typed: deep water.
    Type,
}

impl Paint {
    /// All of them.
    pub const ALL: [Self; 7] = [
        Self::Head,
        Self::Plain,
        Self::Bad,
        Self::Warn,
        Self::Good,
        Self::Quiet,
        Self::Type,
    ];

    /// Its number among the 256 colours of a terminal, and whether it's bold.
    pub fn color(self) -> (Option<u8>, bool) {
        match self {
            Self::Head => (None, true),
            Self::Plain => (None, false),
            Self::Bad => (Some(163), true),
            Self::Warn => (Some(131), false),
            Self::Good => (Some(29), false),
            Self::Quiet => (Some(243), false),
            Self::Type => (Some(63), false),
        }
    }

    /// Its number among the 8 colours of a terminal that has no more; none for what is readable
    /// without.
    pub fn basic_color(self) -> Option<u8> {
        match self {
            Self::Head | Self::Plain | Self::Quiet => None,
            Self::Bad => Some(1),
            Self::Warn => Some(3),
            Self::Good => Some(2),
            Self::Type => Some(6),
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

#[cfg(test)]
mod tests {
    use super::*;

    /// Relative luminance of one of the 256 colours (WCAG 2.2; the levels are those of xterm).
    fn luminance(number: u8) -> f64 {
        let levels = [0, 95, 135, 175, 215, 255];
        let cube = usize::from(number) - 16;
        let rgb = match number {
            232.. => [8 + 10 * (i32::from(number) - 232); 3],
            _ => [cube / 36, cube / 6 % 6, cube % 6].map(|level| levels[level]),
        };
        let linear = rgb.map(|channel| match f64::from(channel) / 255.0 {
            dark if dark <= 0.04045 => dark / 12.92,
            bright => ((bright + 0.055) / 1.055).powf(2.4),
        });
        0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]
    }

    #[test]
    fn every_colour_can_be_read_on_black_and_on_white() {
        for color in Paint::ALL.iter().filter_map(|paint| paint.color().0) {
            let luminance = luminance(color);
            let (on_white, on_black) = (1.05 / (luminance + 0.05), (luminance + 0.05) / 0.05);
            assert!(
                on_white >= 4.5 && on_black >= 4.5,
                "{color}: {on_white} {on_black}"
            );
        }
    }
}
