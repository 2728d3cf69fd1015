//! How the window looks. Colour and place only repeat what signs and words say; letters of ASCII
//! are enough for all but names.

use super::look::{Row, RowKind, View};
use super::window::{FINDINGS, Question, Window};
use bstr::ByteSlice;
use ratatui::Frame;
use ratatui::layout::{Constraint, Layout, Position, Rect};
use ratatui::style::{Color, Modifier, Style};
use ratatui::symbols::border;
use ratatui::text::{Line, Span};
use ratatui::widgets::{Block, Clear, Paragraph, Wrap};
use redshank_findings::{Finding, Level};
use redshank_output::screen;
use redshank_rules::RepoPath;
use redshank_text::{self as text, Paint, count, cut, files, shown};
use redshank_worktree::size::Bytes;
use redshank_worktree::sums::FolderChange;
use redshank_worktree::tree::State;
use std::cmp::Ordering;

/// From this many columns on, what is known of a row is beside the tree.
const WIDE: u16 = 110;

/// At most this many lines it gets below the tree otherwise.
const BELOW: u16 = 7;

/// The keys, for the foot of the window; where not all fit, those at the end go first.
const FOOT: &[&str] = &[
    "F1 keys",
    "Esc leave",
    "type a pattern",
    "Enter write",
    "Ctrl-R undo",
    "Ctrl-F find",
    "arrows",
    "Tab from this row",
    "Ctrl-T for whom",
    "Ctrl-N from what came",
];

/// The keys, one by one.
const HELP: &[&str] = &[
    "letters, Backspace    the pattern; Ctrl-U clears it",
    "Up, Down, PgUp, PgDn  another row; the mouse does it, too",
    "Right, Left, Enter    expand and collapse a folder",
    "Ctrl-F                find: only rows with a part of a name; ! those with findings",
    "Tab                   a pattern from the row; again: the next width",
    "Ctrl-N                a rule for what came; again: the next",
    "Ctrl-T                for whom: team, folder, this clone, yourself",
    "Enter                 write the rule (Enter again does it)",
    "Ctrl-R                take the last change back (Enter does it)",
    "Ctrl-Z                put the view aside; `fg` brings it back",
    "Esc                   clear the pattern, then leave; Ctrl-C leaves",
    "",
    "-  would be ignored   +  would be re-included   *  new since start   !  findings",
];

pub fn draw(window: &mut Window, frame: &mut Frame) {
    let [head, rule, said, body, foot] = Layout::vertical([
        Constraint::Length(1),
        Constraint::Length(1),
        Constraint::Length(1),
        Constraint::Min(3),
        Constraint::Length(1),
    ])
    .areas(frame.area());
    let (tree, about) = if frame.area().width >= WIDE {
        let parts = [
            Constraint::Fill(3),
            Constraint::Length(1),
            Constraint::Fill(2),
        ];
        let [tree, _, about] = Layout::horizontal(parts).areas(body);
        (tree, about)
    } else {
        let [tree, about] =
            Layout::vertical([Constraint::Fill(1), Constraint::Length(BELOW)]).areas(body);
        (tree, about)
    };
    let Some(look) = window.look.clone() else {
        frame.render_widget(Paragraph::new("looking ..."), head);
        return;
    };
    frame.render_widget(Paragraph::new(totals(&look)), head);
    draw_rule(window, &look, frame, rule);
    if window.filters {
        draw_filter(window, frame, said);
    } else {
        frame.render_widget(Paragraph::new(message(window, &look)), said);
    }
    draw_tree(window, frame, tree);
    draw_about(window, frame, about);
    let foot_text = Line::styled(keys(usize::from(foot.width)), style(Paint::Quiet));
    frame.render_widget(Paragraph::new(foot_text), foot);
    if window.helps {
        draw_help(frame);
    }
}

/// As many keys as fit.
fn keys(width: usize) -> String {
    let mut text = String::new();
    for key in FOOT {
        let gap = if text.is_empty() { "" } else { " | " };
        if text.len() + gap.len() + key.len() > width {
            break;
        }
        text = text + gap + key;
    }
    text
}

/// A colour of ours, where colours are wanted.
fn style(paint: Paint) -> Style {
    let (color, bold) = match paint.color() {
        (_, bold) if !screen::has_256_colors() => (paint.basic_color(), bold),
        all => all,
    };
    let wants_color = anstream::ColorChoice::global() != anstream::ColorChoice::Never
        && std::env::var_os("NO_COLOR").is_none();
    let color = color.filter(|_| wants_color);
    let style = color.map_or(Style::new(), |number| {
        Style::new().fg(Color::Indexed(number))
    });
    if bold {
        style.add_modifier(Modifier::BOLD)
    } else {
        style
    }
}

/// A text that comes from the repository, harmless and without secrets.
fn safe(text: &str) -> String {
    screen::harmless_text(text).replace('\t', " ")
}

fn totals(look: &View) -> Line<'static> {
    let all = look.sums.folder(RepoPath::top());
    let of = |files_: u64, size: Bytes| format!("{}, {size}", files(files_));
    let mut parts = vec![
        Span::styled(safe(&look.name), style(Paint::Head)),
        Span::raw("  to commit: "),
        Span::raw(of(all.before.files, all.before.size)),
    ];
    if all.before != all.after {
        parts.push(Span::styled("  ->  ", style(Paint::Head)));
        parts.push(Span::raw(of(all.after.files, all.after.size)));
    }
    let ignored = of(all.ignored.files, all.ignored.size);
    parts.push(Span::styled(
        format!("   ignored: {ignored}"),
        style(Paint::Quiet),
    ));
    Line::from(parts)
}

fn draw_rule(window: &Window, look: &View, frame: &mut Frame, area: Rect) {
    let ask = "pattern: ";
    let whom = text::scope(window.scope);
    let place = safe(&shown(look.file.as_slice().into()));
    let line = Line::from(vec![
        Span::styled(ask, style(Paint::Head)),
        Span::styled(window.pattern.clone(), style(Paint::Type)),
        Span::styled(format!("   {whom}, in {place}"), style(Paint::Quiet)),
    ]);
    frame.render_widget(Paragraph::new(line), area);
    put_cursor(frame, area, ask.len(), &window.pattern);
}

/// What rows must hold, while it is typed.
fn draw_filter(window: &Window, frame: &mut Frame, area: Rect) {
    let ask = "find: ";
    let many = window.rows.len() as u64;
    let help = match window.filter.as_str() {
        "" => "a part of a name; ! for rows with findings; Enter goes to them".to_owned(),
        _ => format!("{}; Enter goes to them, Esc shows all", rows(many)),
    };
    let line = Line::from(vec![
        Span::styled(ask, style(Paint::Head)),
        Span::styled(window.filter.clone(), style(Paint::Type)),
        Span::styled(format!("   {help}"), style(Paint::Quiet)),
    ]);
    frame.render_widget(Paragraph::new(line), area);
    put_cursor(frame, area, ask.len(), &window.filter);
}

fn rows(many: u64) -> String {
    match many {
        1 => "1 row".to_owned(),
        many => format!("{} rows", count(many)),
    }
}

/// Puts the cursor behind what is typed.
fn put_cursor(frame: &mut Frame, area: Rect, start: usize, typed: &str) {
    let typed = start + console::measure_text_width(typed);
    let column = area.x
        + u16::try_from(typed)
            .unwrap_or(u16::MAX)
            .min(area.width.saturating_sub(1));
    frame.set_cursor_position(Position::new(column, area.y));
}

fn message(window: &Window, look: &View) -> Line<'static> {
    let all = look.sums.folder(RepoPath::top());
    match window.asks {
        Some(Question::Write) => {
            let text = format!(
                "write `{}`? Enter does it, any other key leaves it",
                window.pattern
            );
            return Line::styled(text, style(Paint::Warn));
        }
        Some(Question::Undo) => {
            let text = "take the last change back? Enter does it, any other key leaves it";
            return Line::styled(text, style(Paint::Warn));
        }
        None => {}
    }
    if !window.said.is_empty() {
        return Line::styled(safe(&window.said).replace('\n', "  "), style(Paint::Good));
    }
    if let Some(in_vain) = &look.in_vain {
        return Line::styled(safe(in_vain), style(Paint::Warn));
    }
    let (was, is) = (all.before.files, all.after.files);
    match was.cmp(&is) {
        Ordering::Greater => {
            Line::styled(format!("- ignores {}", files(was - is)), style(Paint::Good))
        }
        Ordering::Less => Line::styled(
            format!("+ re-includes {}", files(is - was)),
            style(Paint::Warn),
        ),
        Ordering::Equal if window.pattern.is_empty() && !window.filter.is_empty() => Line::styled(
            format!(
                "{} {}; Ctrl-F changes it, Esc shows all",
                rows(window.rows.len() as u64),
                match window.filter.as_str() {
                    FINDINGS => "with findings".to_owned(),
                    filter => format!("with `{}`", safe(filter)),
                }
            ),
            style(Paint::Quiet),
        ),
        Ordering::Equal if window.pattern.is_empty() => came(window),
        Ordering::Equal => Line::raw(""),
    }
}

/// That something came, and the key that ignores it.
fn came(window: &Window) -> Line<'static> {
    match window.proposed().next() {
        Some(new) => {
            let rule = text::pattern(new.rule.as_bstr());
            let came = format!(
                "* {} appeared; Ctrl-N ignores it: {rule}",
                files(new.stats.files)
            );
            Line::styled(safe(&came), style(Paint::Warn))
        }
        None => Line::raw(""),
    }
}

fn draw_tree(window: &mut Window, frame: &mut Frame, area: Rect) {
    window.height = usize::from(area.height).max(1);
    window.top = area.y;
    if window.chosen < window.first {
        window.first = window.chosen;
    }
    if window.chosen >= window.first + window.height {
        window.first = window.chosen + 1 - window.height;
    }
    let in_sight = window
        .rows
        .iter()
        .enumerate()
        .skip(window.first)
        .take(window.height);
    let is_whole = !window.filter.is_empty();
    let lines = in_sight.map(|(at, row)| {
        let level = worst(&window.findings, row);
        line(row, at == window.chosen, (level, is_whole), area.width)
    });
    frame.render_widget(Paragraph::new(lines.collect::<Vec<_>>()), area);
}

/// The worst level of what was found in a row.
fn worst(findings: &[Finding], row: &Row) -> Option<Level> {
    let here = findings.iter().filter(|finding| {
        finding.path == row.path || row.path.is_folder() && finding.path.is_within(&row.path)
    });
    here.map(|finding| finding.level).min()
}

/// A row: its sign and word, files, size, whether something was found in it, and its name; the
/// whole path where it is listed without the folders above it.
fn line(
    row: &Row,
    is_chosen: bool,
    (level, is_whole): (Option<Level>, bool),
    width: u16,
) -> Line<'static> {
    let (word, paint, many, size) = match &row.kind {
        RowKind::Folder(change, _) => {
            let (word, paint) = match (change.before.files, change.after.files) {
                (0, 0) => ("ignored", Paint::Quiet),
                (_, 0) => ("ignored", Paint::Good),
                (0, _) => ("re-included", Paint::Warn),
                // What stays is counted; what changes is said behind the name.
                (was, is) if was > is => ("to commit", Paint::Good),
                (was, is) if was < is => ("to commit", Paint::Warn),
                _ => ("to commit", Paint::Plain),
            };
            let (many, size) = match change.after.files {
                0 => (change.ignored.files, change.ignored.size),
                _ => (change.after.files, change.after.size),
            };
            (word, paint, count(many), size)
        }
        RowKind::File(before, after, size) => {
            let (word, paint) = match (before, after) {
                (State::Tracked, _) => ("tracked", Paint::Type),
                (State::Ignored, State::Ignored) => ("ignored", Paint::Quiet),
                (_, State::Ignored) => ("ignored", Paint::Good),
                (State::Ignored, _) => ("re-included", Paint::Warn),
                _ => ("to commit", Paint::Plain),
            };
            (word, paint, String::new(), Bytes(*size))
        }
    };
    let sign = match (&row.kind, word) {
        _ if row.is_new => '*',
        (_, "ignored") => '-',
        (_, "re-included") => '+',
        (RowKind::Folder(change, _), _) => match change.before.files.cmp(&change.after.files) {
            Ordering::Greater => '-',
            Ordering::Less => '+',
            Ordering::Equal => ' ',
        },
        (RowKind::File(..), _) => ' ',
    };
    let fold = match row.kind {
        RowKind::Folder(_, true) => "v ",
        RowKind::Folder(_, false) => "> ",
        RowKind::File(..) => "  ",
    };
    let slash = if row.path.is_folder() { "/" } else { "" };
    let name = if is_whole {
        row.path.bare().as_bstr()
    } else {
        row.path.name()
    };
    let name = format!("{}{slash}", safe(&shown(name)));
    let of_it = match &row.kind {
        RowKind::Folder(change, _) => part_that_changes(change),
        RowKind::File(..) => String::new(),
    };
    let start = format!("{sign} {word:9} {many:>8} {:>10} ", size.to_string());
    // A note is no reason to look at it.
    let level = level.filter(|level| *level < Level::Note);
    let mark = if level.is_some() { "!" } else { " " };
    let indent = format!("{}{fold}", "  ".repeat(row.depth));
    let taken = console::measure_text_width(&start) + 1 + indent.len();
    let text = cut(
        &format!("{name}{of_it}"),
        usize::from(width).saturating_sub(taken),
    );
    let mut whole = style(if row.is_new { Paint::Warn } else { paint });
    if is_chosen {
        whole = whole.add_modifier(Modifier::REVERSED);
    }
    let mark_style = level.map_or(Style::new(), |level| style(text::level_paint(level)));
    Line::from(vec![
        Span::raw(start),
        Span::styled(mark, mark_style),
        Span::raw(format!("{indent}{text}")),
    ])
    .style(whole)
}

/// How much of a folder changes sides, where it isn't all of it.
fn part_that_changes(change: &FolderChange) -> String {
    let (was, is) = (change.before.files, change.after.files);
    match was.cmp(&is) {
        Ordering::Greater if is > 0 => {
            format!("  (ignores {} of {})", count(was - is), count(was))
        }
        Ordering::Less if was > 0 => format!("  (re-includes {})", count(is - was)),
        _ => String::new(),
    }
}

/// What is known of the chosen row: why it is what it is, and what was found in it.
fn draw_about(window: &Window, frame: &mut Frame, area: Rect) {
    let Some(row) = window.rows.get(window.chosen) else {
        return;
    };
    let mut lines = Vec::new();
    if let Some((path, reason)) = &window.reason
        && *path == row.path
    {
        lines.extend(reason.iter().map(|line| Line::raw(safe(line))));
    }
    for new in window.learned.iter().filter(|new| {
        new.paths
            .iter()
            .any(|path| row.path.is_within(path) || *path == row.path)
    }) {
        let rule = text::pattern(new.rule.as_bstr());
        let text = format!("new since start; {}", text::learned(new));
        lines.push(Line::styled(safe(&text), style(Paint::Warn)));
        lines.push(Line::raw(format!("a rule for it: {}", safe(&rule))));
    }
    let found: Vec<&Finding> = window
        .findings
        .iter()
        .filter(|finding| {
            finding.path == row.path || finding.path.is_within(&row.path) && row.path.is_folder()
        })
        .collect();
    if !found.is_empty() {
        lines.push(Line::raw(""));
        let many = count(found.len() as u64);
        lines.push(Line::styled(
            format!("findings here: {many}"),
            style(Paint::Head),
        ));
    }
    for finding in found.into_iter().take(usize::from(area.height)) {
        let place = text::place(finding);
        let message = text::message(finding);
        let said = format!("{} {}: {place}: {message}", finding.level, finding.class());
        let paint = style(text::level_paint(finding.level));
        lines.push(Line::styled(safe(&said), paint));
        let fix = format!("  fix: {}", text::remedy(finding));
        lines.push(Line::styled(safe(&fix), style(Paint::Quiet)));
    }
    let about = Paragraph::new(lines).wrap(Wrap { trim: false });
    frame.render_widget(about, area);
}

/// The edge of a window in the window.
const EDGE: border::Set = border::Set {
    top_left: "+",
    top_right: "+",
    bottom_left: "+",
    bottom_right: "+",
    vertical_left: "|",
    vertical_right: "|",
    horizontal_top: "-",
    horizontal_bottom: "-",
};

fn draw_help(frame: &mut Frame) {
    let all = frame.area();
    let height = (HELP.len() as u16 + 4).min(all.height);
    let width = 86.min(all.width);
    let area = Rect::new(
        (all.width - width) / 2,
        (all.height - height) / 2,
        width,
        height,
    );
    frame.render_widget(Clear, area);
    let mut lines = vec![
        Line::styled("Keys (any key goes back)", style(Paint::Head)),
        Line::raw(""),
    ];
    lines.extend(HELP.iter().map(|line| Line::raw(*line)));
    frame.render_widget(
        Paragraph::new(lines).block(Block::bordered().border_set(EDGE)),
        area,
    );
}
