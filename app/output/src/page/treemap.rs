//! A treemap: each folder and file as large as it weighs. What a commit would hold and what rules
//! ignore are two pictures, for the one would hide the other.

use super::SafeText;
use maud::{Markup, html};
use redshank_origin::Origin;
use redshank_rules::RepoPath;
use redshank_text::{cut, files, shown};
use redshank_worktree::FileStats;
use redshank_worktree::sums::FolderSum;
use redshank_worktree::tree::{Entry, State};
use std::cmp::Reverse;
use std::collections::{BTreeMap, HashMap};
use treemap::{MapItem, Mappable, Rect, TreemapLayout};

/// What the area of a cell stands for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Measure {
    Size,
    Count,
}

/// A picture that is being drawn.
pub struct Treemap<'a> {
    /// What the area of a cell stands for.
    pub measure: Measure,
    /// Of what rules ignore, not of what a commit would hold.
    pub is_kept_out: bool,
    /// The paths that findings are about, each with the first one's id.
    pub worries: &'a HashMap<&'a RepoPath, &'a str>,
    /// Where a file comes from.
    pub origin_of: &'a dyn Fn(&RepoPath) -> Origin,
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

/// What is drawn as one.
enum Cell<'s, 't> {
    Folder(&'s FolderSum<'t>),
    File(&'t Entry),
    /// What is too small to be drawn by itself.
    Rest(FileStats),
}

impl Treemap<'_> {
    /// The picture of a folder; nothing if nothing of it belongs into it.
    pub fn svg(&self, sum: &FolderSum) -> Markup {
        let what = match self.measure {
            Measure::Size => "by size",
            Measure::Count => "by number of files",
        };
        let (side, height) = if !self.is_kept_out {
            ("what a commit would hold", HEIGHT)
        } else {
            ("what is ignored", HEIGHT / 2.0)
        };
        let whole = Rect::from_points(0.0, 0.0, WIDTH, height);
        if self.weight(self.stats_of(sum)) == 0 {
            return html! { p.quiet { "Nothing." } };
        }
        html! {
            svg viewBox=(format!("0 0 {WIDTH} {height}")) role=(if self.is_kept_out { "img" } else { "group" })
                aria-label=(format!("Treemap of {side}, {what}; the table below says the same")) {
                (self.inside(sum, whole))
            }
        }
    }

    /// What of a folder belongs into this picture.
    fn stats_of(&self, sum: &FolderSum) -> FileStats {
        if !self.is_kept_out {
            sum.to_commit
        } else {
            sum.ignored
        }
    }

    fn weight(&self, stats: FileStats) -> u64 {
        match self.measure {
            Measure::Size => stats.size.0,
            Measure::Count => stats.files,
        }
    }

    fn stats(&self, cell: &Cell) -> FileStats {
        match cell {
            Cell::Folder(sum) => self.stats_of(sum),
            Cell::File(entry) => entry.stats(),
            Cell::Rest(stats) => *stats,
        }
    }

    /// What is in a folder, laid out in a rectangle.
    fn inside(&self, sum: &FolderSum, area: Rect) -> Markup {
        let cells = self.cells(sum, &area);
        let weights = cells
            .iter()
            .map(|cell| self.weight(self.stats(cell)) as f64);
        let mut items: Vec<MapItem> = weights.map(MapItem::with_size).collect();
        // They come sorted already, and stay so.
        TreemapLayout::new().layout_items(&mut items, area);
        html! {
            @for (cell, item) in cells.iter().zip(&items) {
                @match cell {
                    Cell::Folder(folder) => (self.of_folder(folder, *item.bounds())),
                    Cell::File(entry) => {
                        (self.of_cell(
                            &shown(entry.path.name()), entry.stats(), &entry.path,
                            Some((self.origin_of)(&entry.path)), *item.bounds(),
                        ))
                    }
                    Cell::Rest(stats) => {
                        (self.of_cell("…", *stats, RepoPath::top(), None, *item.bounds()))
                    }
                }
            }
        }
    }

    /// The cells of a folder, the heaviest first; what would be too small goes together.
    fn cells<'s, 't>(&self, sum: &'s FolderSum<'t>, area: &Rect) -> Vec<Cell<'s, 't>> {
        let all = self.weight(self.stats_of(sum)) as f64;
        let smallest = (all * SMALLEST / (area.w * area.h).max(1.0))
            .ceil()
            .max(1.0);
        let files = sum
            .files
            .iter()
            .filter(|entry| (entry.state == State::Ignored) == self.is_kept_out);
        let files = files.map(|entry| Cell::File(entry));
        let all = sum.folders.iter().map(Cell::Folder).chain(files);
        let (mut cells, small): (Vec<Cell>, Vec<Cell>) =
            all.partition(|cell| self.weight(self.stats(cell)) as f64 >= smallest);
        let rest: FileStats = small.iter().map(|cell| self.stats(cell)).sum();
        if self.weight(rest) > 0 {
            cells.push(Cell::Rest(rest));
        }
        cells.sort_by_key(|cell| Reverse(self.weight(self.stats(cell))));
        cells
    }

    fn of_folder(&self, folder: &FolderSum, area: Rect) -> Markup {
        let name = format!("{}/", shown(folder.path.name()));
        // Nobody looks into what rules ignore whole, or what is a finding as a whole.
        let is_whole = if self.is_kept_out {
            folder.to_commit.files == 0
        } else {
            self.worries.contains_key(&*folder.path)
        };
        if is_whole || area.w < OPEN.0 || area.h < OPEN.1 {
            let origin = self.origin_of_most(folder);
            return self.of_cell(&name, self.stats_of(folder), &folder.path, origin, area);
        }
        let inner = Rect::from_points(
            area.x + 2.0,
            area.y + NAME,
            area.w - 4.0,
            area.h - NAME - 2.0,
        );
        let stats = self.stats_of(folder);
        html! {
            g {
                title { (SafeText(&name)) ": " (files(stats.files)) ", " (stats.size) }
                rect.frame x=(at(area.x)) y=(at(area.y)) width=(at(area.w)) height=(at(area.h)) {}
                text x=(at(area.x + 5.0)) y=(at(area.y + 13.0)) { (SafeText(fitting(&name, area.w))) }
            }
            (self.inside(folder, inner))
        }
    }

    /// The origin of the most of what a commit would hold of a folder.
    fn origin_of_most(&self, folder: &FolderSum) -> Option<Origin> {
        let mut weights = BTreeMap::new();
        self.weigh_origins(folder, &mut weights);
        let heaviest = weights.into_iter().max_by_key(|(_, weight)| *weight);
        heaviest.map(|(origin, _)| origin)
    }

    fn weigh_origins(&self, folder: &FolderSum, weights: &mut BTreeMap<Origin, u64>) {
        let own = folder.files.iter();
        for entry in own.filter(|entry| entry.state != State::Ignored) {
            *weights.entry((self.origin_of)(&entry.path)).or_default() +=
                self.weight(entry.stats());
        }
        for inner in &folder.folders {
            self.weigh_origins(inner, weights);
        }
    }

    fn of_cell(
        &self,
        name: &str,
        stats: FileStats,
        path: &RepoPath,
        origin: Option<Origin>,
        area: Rect,
    ) -> Markup {
        let finding = self.worries.get(path).filter(|_| !self.is_kept_out);
        let (class, mut what) = match origin {
            _ if self.is_kept_out => ("out", "ignored".to_owned()),
            Some(origin) => (origin.word(), format!("{origin}, to commit")),
            None => (Origin::Unknown.word(), "to commit".to_owned()),
        };
        if finding.is_some() {
            what += "; a finding is about it";
        }
        let is_named = area.w >= NAMED.0 && area.h >= NAMED.1;
        let (x, y, width, height) = (at(area.x), at(area.y), at(area.w), at(area.h));
        let cell = html! {
            g {
                title { (SafeText(name)) ": " (files(stats.files)) ", " (stats.size) ", " (what) }
                rect class=(class) x=(x) y=(y) width=(width) height=(height) {}
                @if finding.is_some() {
                    // Along its edge, so that the colour stays that of the origin.
                    rect.worry x=(at(area.x + 2.0)) y=(at(area.y + 2.0))
                        width=(at(area.w - 4.0)) height=(at(area.h - 4.0)) {}
                }
                @if is_named {
                    text class=(class) x=(at(area.x + 5.0)) y=(at(area.y + 15.0)) { (SafeText(fitting(name, area.w))) }
                }
            }
        };
        // From what is wrong in the picture to what is said of it.
        html! {
            @if let Some(id) = finding {
                a href=(format!("#finding-{id}")) aria-label=(SafeText(format!("the finding on {}", shown(path)))) { (cell) }
            } @else { (cell) }
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
