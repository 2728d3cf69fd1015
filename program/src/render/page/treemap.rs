//! A treemap: each folder and file as large as it weighs. What a commit would hold, what a finding is
//! about and what rules keep out are told apart by colour and by hatching.

use super::{Said, shown};
use crate::render::{cut, files};
use maud::{Markup, html};
use redshank_worktree::sums::FolderSum;
use redshank_worktree::tree::{Entry, State};
use redshank_worktree::{FileStats, RepoPath};
use std::cmp::Reverse;
use std::collections::HashSet;
use treemap::{MapItem, Mappable, Rect, TreemapLayout};

/// What the area of a cell stands for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Measure {
    /// Bytes.
    Size,
    /// Files.
    Count,
}

/// A picture that is being drawn.
pub struct Treemap<'a> {
    /// What the area of a cell stands for.
    pub measure: Measure,
    /// The paths that findings are about.
    pub worries: &'a HashSet<&'a RepoPath>,
}

/// How large the picture is, in its own units.
const WIDTH: f64 = 1120.0;
const HEIGHT: f64 = 560.0;

/// A folder of at least this size shows what is in it; below it, it is a cell.
const OPEN: (f64, f64) = (90.0, 60.0);

/// How high the name of an open folder stands.
const NAME: f64 = 18.0;

/// A cell of at least this size shows its name.
const NAMED: (f64, f64) = (60.0, 20.0);

/// How wide a letter is at most, in the same units.
const LETTER: f64 = 7.2;

/// Nothing smaller is drawn by itself, in square units.
const SMALLEST: f64 = 30.0;

/// What becomes of a cell.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Side {
    Commit,
    Worry,
    Out,
}

impl Side {
    fn class(self) -> &'static str {
        match self {
            Self::Commit => "commit",
            Self::Worry => "worry",
            Self::Out => "out",
        }
    }

    fn word(self) -> &'static str {
        match self {
            Self::Commit => "to commit",
            Self::Worry => "to commit, and a finding is about it",
            Self::Out => "kept out",
        }
    }
}

/// What is drawn as one.
enum Cell<'s, 't> {
    Folder(&'s FolderSum<'t>),
    File(&'t Entry),
    /// What is too small to be drawn by itself.
    Rest(FileStats, Side),
}

impl Treemap<'_> {
    /// The picture of a folder.
    pub fn svg(&self, sum: &FolderSum) -> Markup {
        let what = match self.measure {
            Measure::Size => "by size",
            Measure::Count => "by number of files",
        };
        let whole = Rect::from_points(0.0, 0.0, WIDTH, HEIGHT);
        html! {
            svg viewBox=(format!("0 0 {WIDTH} {HEIGHT}")) role="img"
                aria-label=(format!("Treemap of the folders, {what}; the table below says the same")) {
                defs {
                    pattern id=(self.hatch()) width="6" height="6" patternUnits="userSpaceOnUse"
                        patternTransform="rotate(45)" {
                        line.hatch x1="0" y1="0" x2="0" y2="6" {}
                    }
                }
                (self.inside(sum, whole))
            }
        }
    }

    fn hatch(&self) -> String {
        format!("hatch-{:?}", self.measure)
    }

    fn weight(&self, stats: FileStats) -> u64 {
        match self.measure {
            Measure::Size => stats.size.0,
            Measure::Count => stats.files,
        }
    }

    fn weight_of(&self, cell: &Cell) -> u64 {
        match cell {
            Cell::Folder(sum) => self.weight(sum.to_commit) + self.weight(sum.ignored),
            Cell::File(entry) => self.weight(entry.stats()),
            Cell::Rest(stats, _) => self.weight(*stats),
        }
    }

    /// What is in a folder, laid out in a rectangle.
    fn inside(&self, sum: &FolderSum, area: Rect) -> Markup {
        let cells = self.cells(sum, &area);
        let weights = cells.iter().map(|cell| self.weight_of(cell) as f64);
        let mut items: Vec<MapItem> = weights.map(MapItem::with_size).collect();
        // They come sorted already, and stay so.
        TreemapLayout::new().layout_items(&mut items, area);
        html! {
            @for (cell, item) in cells.iter().zip(&items) {
                @match cell {
                    Cell::Folder(folder) => (self.of_folder(folder, *item.bounds())),
                    Cell::File(entry) => (self.of_file(entry, *item.bounds())),
                    Cell::Rest(stats, side) => (self.of_cell("…", *stats, *side, *item.bounds())),
                }
            }
        }
    }

    /// The cells of a folder, the heaviest first; what would be too small goes together.
    fn cells<'s, 't>(&self, sum: &'s FolderSum<'t>, area: &Rect) -> Vec<Cell<'s, 't>> {
        let all = self.weight(sum.to_commit) + self.weight(sum.ignored);
        let smallest = (all as f64 * SMALLEST / (area.w * area.h).max(1.0)).ceil();
        let folders = sum.folders.iter().map(Cell::Folder);
        let files = sum.files.iter().map(|entry| Cell::File(entry));
        let (mut cells, small): (Vec<Cell>, Vec<Cell>) = folders
            .chain(files)
            .partition(|cell| self.weight_of(cell) as f64 >= smallest.max(1.0));
        let (mut commit, mut out) = (FileStats::default(), FileStats::default());
        for cell in small {
            match cell {
                Cell::Folder(folder) => {
                    commit += folder.to_commit;
                    out += folder.ignored;
                }
                Cell::File(entry) if entry.state == State::Ignored => out += entry.stats(),
                Cell::File(entry) => commit += entry.stats(),
                Cell::Rest(..) => {}
            }
        }
        for (stats, side) in [(commit, Side::Commit), (out, Side::Out)] {
            if self.weight(stats) > 0 {
                cells.push(Cell::Rest(stats, side));
            }
        }
        cells.sort_by_key(|cell| Reverse(self.weight_of(cell)));
        cells
    }

    fn of_file(&self, entry: &Entry, area: Rect) -> Markup {
        let side = match entry.state {
            State::Ignored => Side::Out,
            _ if self.worries.contains(&*entry.path) => Side::Worry,
            _ => Side::Commit,
        };
        self.of_cell(&shown(entry.path.name()), entry.stats(), side, area)
    }

    fn of_folder(&self, folder: &FolderSum, area: Rect) -> Markup {
        let name = format!("{}/", shown(folder.path.name()));
        let (commit, out) = (self.weight(folder.to_commit), self.weight(folder.ignored));
        // Nobody looks into what rules keep out whole, or what is a finding as a whole.
        if commit == 0 {
            return self.of_cell(&name, folder.ignored, Side::Out, area);
        }
        let is_worry = self.worries.contains(&*folder.path);
        if is_worry || area.w < OPEN.0 || area.h < OPEN.1 {
            let side = if is_worry { Side::Worry } else { Side::Commit };
            let share = commit as f64 / (commit + out) as f64;
            let left = Rect::from_points(area.x, area.y, area.w * share, area.h);
            let right = Rect::from_points(area.x + left.w, area.y, area.w - left.w, area.h);
            return html! {
                (self.of_cell(&name, folder.to_commit, side, left))
                @if out > 0 { (self.of_cell(&name, folder.ignored, Side::Out, right)) }
            };
        }
        let inner = Rect::from_points(
            area.x + 2.0,
            area.y + NAME,
            area.w - 4.0,
            area.h - NAME - 2.0,
        );
        html! {
            g {
                title {
                    (Said(&name)) ": " (files(folder.to_commit.files)) ", " (folder.to_commit.size) " to commit; "
                    (files(folder.ignored.files)) ", " (folder.ignored.size) " kept out"
                }
                rect.frame x=(at(area.x)) y=(at(area.y)) width=(at(area.w)) height=(at(area.h)) {}
                text x=(at(area.x + 5.0)) y=(at(area.y + 13.0)) { (Said(fitting(&name, area.w))) }
            }
            (self.inside(folder, inner))
        }
    }

    fn of_cell(&self, name: &str, stats: FileStats, side: Side, area: Rect) -> Markup {
        let is_named = area.w >= NAMED.0 && area.h >= NAMED.1;
        let (x, y, width, height) = (at(area.x), at(area.y), at(area.w), at(area.h));
        html! {
            g {
                title { (Said(name)) ": " (files(stats.files)) ", " (stats.size) ", " (side.word()) }
                rect class=(side.class()) x=(x) y=(y) width=(width) height=(height) {}
                @if side == Side::Out {
                    rect x=(x) y=(y) width=(width) height=(height) fill=(format!("url(#{})", self.hatch())) {}
                }
                @if is_named {
                    text class=(side.class()) x=(at(area.x + 5.0)) y=(at(area.y + 15.0)) {
                        (Said(fitting(name, area.w)))
                    }
                }
            }
        }
    }
}

/// As much of a name as fits.
fn fitting(name: &str, width: f64) -> String {
    cut(name, ((width - 10.0) / LETTER).max(1.0) as usize)
}

/// A place in the picture, to a tenth of a unit.
fn at(place: f64) -> String {
    format!("{:.1}", place.max(0.0))
}
