//! What the window holds: what a person has typed and chosen; all else comes from [`super::look`].

use super::look::{Proposal, Row, RowKind, View, WorkerEvent, WorkerRequest};
use bstr::ByteSlice;
use crossbeam_channel::Sender;
use ratatui::crossterm::event::{
    Event, KeyCode, KeyEvent, KeyEventKind, KeyModifiers, MouseEvent, MouseEventKind,
};
use redshank_changes::rehearse::{Learned, LearnedStatus};
use redshank_findings::Finding;
use redshank_rules::Breadth;
use redshank_rules::RuleScope;
use redshank_rules::{RepoPath, RepoPathBuf, exactly, fit};
use std::collections::HashSet;
use std::sync::Arc;

/// What the window holds.
pub struct Window {
    pub pattern: String,
    /// Who it is for.
    pub scope: RuleScope,
    /// The tree, once it is known.
    pub look: Option<Arc<View>>,
    /// The rows that show.
    pub rows: Vec<Row>,
    /// Which of them is chosen.
    pub chosen: usize,
    /// The first row in sight.
    pub first: usize,
    /// How many rows fit; known once it is drawn.
    pub height: usize,
    /// The row of the screen where the tree begins.
    pub top: u16,
    /// Why the chosen path is what it is.
    pub reason: Option<(RepoPathBuf, Vec<String>)>,
    /// What was found here.
    pub findings: Arc<Vec<Finding>>,
    /// The rules for what came.
    pub learned: Arc<Vec<Learned>>,
    /// What came of the last thing asked for.
    pub said: String,
    /// What waits for Enter.
    pub asks: Option<Question>,
    /// The keys are reported.
    pub helps: bool,
    /// Only rows that hold this are shown; empty for all, [`FINDINGS`] for those with findings.
    pub filter: String,
    /// Letters go to the filter.
    pub filters: bool,
    /// The pattern as it was typed, and the folder whose file it was for: what another place makes
    /// of it comes from here.
    typed: (String, RepoPathBuf),
    open: HashSet<RepoPathBuf>,
    width: usize,
    /// Somebody chose the row; else it is the first, whatever comes there.
    has_chosen: bool,
}

/// What waits for Enter.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Question {
    Write,
    /// Take the last change back?
    Undo,
}

/// What becomes of the view.
pub enum Next {
    Stay,
    Leave,
    Suspend,
}

impl Window {
    /// Before anybody has typed.
    pub fn new() -> Self {
        Self {
            pattern: String::new(),
            scope: RuleScope::Team,
            look: None,
            rows: Vec::new(),
            chosen: 0,
            first: 0,
            height: 1,
            top: 0,
            reason: None,
            findings: Arc::default(),
            learned: Arc::default(),
            said: String::new(),
            asks: None,
            helps: false,
            filter: String::new(),
            filters: false,
            typed: (String::new(), RepoPathBuf::default()),
            open: HashSet::new(),
            width: 0,
            has_chosen: false,
        }
    }

    /// Takes in what was worked out.
    pub fn learn(&mut self, found: WorkerEvent, jobs: &Sender<WorkerRequest>) {
        match found {
            WorkerEvent::View(look) => {
                self.look = Some(look);
                self.arrange(jobs);
            }
            WorkerEvent::Reason(path, lines) => self.reason = Some((path, lines)),
            WorkerEvent::Findings(findings) => {
                self.findings = findings;
                if self.filter == FINDINGS {
                    self.arrange(jobs);
                }
            }
            WorkerEvent::Learned(learned) => self.learned = learned,
            WorkerEvent::Said(said) => self.said = said,
        }
    }

    /// The rows again; the same one stays chosen.
    fn arrange(&mut self, jobs: &Sender<WorkerRequest>) {
        let Some(look) = &self.look else {
            return;
        };
        let chosen = self.rows.get(self.chosen).filter(|_| self.has_chosen);
        let chosen = chosen.map(|row| row.path.clone());
        self.rows = match self.filter.as_str() {
            "" => look.rows(&self.open),
            FINDINGS => look.rows_that(&|path| self.findings.iter().any(|one| *one.path == *path)),
            filter => look.rows_that(&|path| holds(path, filter)),
        };
        if !self.has_chosen {
            self.chosen = 0;
        }
        let same = chosen.and_then(|path| self.rows.iter().position(|row| row.path == path));
        self.choose(same.unwrap_or(self.chosen), jobs);
    }

    fn choose(&mut self, at: usize, jobs: &Sender<WorkerRequest>) {
        self.chosen = at.min(self.rows.len().saturating_sub(1));
        if let Some(row) = self.rows.get(self.chosen) {
            // The window is gone with the program.
            let _ = jobs.send(WorkerRequest::Explain(row.path.clone()));
        }
    }

    /// What is typed, as it would be written.
    pub fn proposal(&self) -> Proposal {
        let row = self.rows.get(self.chosen);
        let folder = row.map(|row| match row.kind {
            RowKind::Folder(..) => row.path.clone(),
            RowKind::File(..) => row.path.folder().to_owned(),
        });
        Proposal {
            pattern: self.pattern.clone(),
            scope: self.scope,
            folder: match self.scope {
                RuleScope::Folder => folder.unwrap_or_default(),
                _ => RepoPathBuf::default(),
            },
        }
    }

    /// Takes up what was typed.
    fn types(&mut self, jobs: &Sender<WorkerRequest>) {
        self.typed = (self.pattern.clone(), self.proposal().folder);
        self.tries(jobs);
    }

    fn tries(&mut self, jobs: &Sender<WorkerRequest>) {
        self.said.clear();
        let _ = jobs.send(WorkerRequest::Try(self.proposal()));
    }

    /// Takes in what was pressed.
    pub fn take_in(&mut self, event: Event, jobs: &Sender<WorkerRequest>) -> Next {
        match event {
            Event::Key(key) if key.kind != KeyEventKind::Release => self.press(key, jobs),
            Event::Mouse(mouse) => {
                self.point(mouse, jobs);
                Next::Stay
            }
            Event::Paste(text) => {
                self.paste(&text, jobs);
                Next::Stay
            }
            _ => Next::Stay,
        }
    }

    fn point(&mut self, mouse: MouseEvent, jobs: &Sender<WorkerRequest>) {
        match mouse.kind {
            MouseEventKind::Down(_) => {
                self.has_chosen = true;
                let row = usize::from(mouse.row.saturating_sub(self.top));
                if mouse.row >= self.top && row < self.height && self.first + row < self.rows.len()
                {
                    let again = self.first + row == self.chosen;
                    self.choose(self.first + row, jobs);
                    if again {
                        self.toggle(jobs);
                    }
                }
            }
            MouseEventKind::ScrollDown => self.choose(self.chosen + 3, jobs),
            MouseEventKind::ScrollUp => self.choose(self.chosen.saturating_sub(3), jobs),
            _ => {}
        }
    }

    /// What is pasted is typed, and never an answer: a line end in it writes nothing.
    fn paste(&mut self, text: &str, jobs: &Sender<WorkerRequest>) {
        self.helps = false;
        if self.asks.take().is_some() {
            self.said = "left as it is".to_owned();
            return;
        }
        let mut lines = text.lines().filter(|line| !line.trim().is_empty());
        let Some(first) = lines.next() else {
            return;
        };
        self.pattern.push_str(first);
        self.types(jobs);
        if lines.next().is_some() {
            self.said = "only the first line was taken: one pattern at a time".to_owned();
        }
    }

    fn press(&mut self, key: KeyEvent, jobs: &Sender<WorkerRequest>) -> Next {
        let is_ctrl = key.modifiers.contains(KeyModifiers::CONTROL);
        if is_ctrl && key.code == KeyCode::Char('c') {
            return Next::Leave;
        }
        if is_ctrl && key.code == KeyCode::Char('z') {
            return Next::Suspend;
        }
        if self.helps {
            self.helps = false;
            return Next::Stay;
        }
        if let Some(question) = self.asks.take() {
            if key.code == KeyCode::Enter {
                self.do_it(question, jobs);
            } else {
                self.said = "left as it is".to_owned();
            }
            return Next::Stay;
        }
        if is_ctrl && key.code == KeyCode::Char('f') {
            self.filters = !self.filters;
            return Next::Stay;
        }
        if self.filters && self.press_in_filter(key, jobs) {
            return Next::Stay;
        }
        let moves = matches!(
            key.code,
            KeyCode::Up
                | KeyCode::Down
                | KeyCode::Left
                | KeyCode::Right
                | KeyCode::PageUp
                | KeyCode::PageDown
                | KeyCode::Home
                | KeyCode::End
        );
        self.has_chosen |= moves;
        match key.code {
            KeyCode::F(1) => self.helps = true,
            KeyCode::Esc if !self.filter.is_empty() && self.pattern.is_empty() => {
                self.filter.clear();
                self.arrange(jobs);
            }
            KeyCode::Esc if self.pattern.is_empty() => return Next::Leave,
            KeyCode::Esc => {
                self.pattern.clear();
                self.types(jobs);
            }
            KeyCode::Enter if !self.pattern.is_empty() => self.asks = Some(Question::Write),
            KeyCode::Enter => self.toggle(jobs),
            KeyCode::Up => self.choose(self.chosen.saturating_sub(1), jobs),
            KeyCode::Down => self.choose(self.chosen + 1, jobs),
            KeyCode::PageUp => self.choose(self.chosen.saturating_sub(self.height), jobs),
            KeyCode::PageDown => self.choose(self.chosen + self.height, jobs),
            KeyCode::Home => self.choose(0, jobs),
            KeyCode::End => self.choose(usize::MAX, jobs),
            KeyCode::Right => self.unfold(true, jobs),
            KeyCode::Left => self.unfold(false, jobs),
            KeyCode::Tab => self.next_width(jobs),
            KeyCode::Char('n') if is_ctrl => self.next_learned(jobs),
            KeyCode::Char('t') if is_ctrl => self.next_scope(jobs),
            KeyCode::Char('r') if is_ctrl => self.asks = Some(Question::Undo),
            KeyCode::Char('u') if is_ctrl => {
                self.pattern.clear();
                self.types(jobs);
            }
            KeyCode::Backspace => {
                self.pattern.pop();
                self.types(jobs);
            }
            KeyCode::Char(letter) if !is_ctrl => {
                self.pattern.push(letter);
                self.types(jobs);
            }
            _ => {}
        }
        Next::Stay
    }

    /// Takes in a key of the filter; returns whether it was one.
    fn press_in_filter(&mut self, key: KeyEvent, jobs: &Sender<WorkerRequest>) -> bool {
        match key.code {
            KeyCode::Enter => self.filters = false,
            KeyCode::Esc => {
                self.filters = false;
                self.filter.clear();
            }
            KeyCode::Backspace => {
                self.filter.pop();
            }
            KeyCode::Char(letter) if !key.modifiers.contains(KeyModifiers::CONTROL) => {
                self.filter.push(letter);
            }
            _ => return false,
        }
        self.arrange(jobs);
        true
    }

    fn do_it(&mut self, question: Question, jobs: &Sender<WorkerRequest>) {
        let _ = match question {
            Question::Write => jobs.send(WorkerRequest::Write(self.proposal())),
            Question::Undo => jobs.send(WorkerRequest::Undo),
        };
        if question == Question::Write {
            self.pattern.clear();
        }
    }

    /// Expands or collapses the chosen folder.
    fn toggle(&mut self, jobs: &Sender<WorkerRequest>) {
        let is_open = match self.rows.get(self.chosen).map(|row| &row.kind) {
            Some(RowKind::Folder(_, is_open)) => *is_open,
            _ => return,
        };
        self.unfold(!is_open, jobs);
    }

    fn unfold(&mut self, opens: bool, jobs: &Sender<WorkerRequest>) {
        let Some(row) = self.rows.get(self.chosen) else {
            return;
        };
        match (&row.kind, opens) {
            (RowKind::Folder(_, false), true) => {
                // Among those that were found, it is shown where it is.
                if !self.filter.is_empty() {
                    self.filter.clear();
                    self.open
                        .extend(row.path.folders_above().map(RepoPath::to_owned));
                }
                self.has_chosen = true;
                self.open.insert(row.path.clone());
            }
            (RowKind::Folder(_, true), false) => {
                self.open.remove(&row.path);
            }
            // From inside, to the folder around it.
            (_, false) => {
                let above = match &row.kind {
                    RowKind::Folder(..) => row.path.bare().folder().to_owned(),
                    RowKind::File(..) => row.path.folder().to_owned(),
                };
                if let Some(at) = self.rows.iter().position(|row| row.path == above) {
                    self.choose(at, jobs);
                }
                return;
            }
            _ => return,
        }
        self.arrange(jobs);
    }

    /// A pattern from the chosen row; each time the next width.
    fn next_width(&mut self, jobs: &Sender<WorkerRequest>) {
        let Some(row) = self.rows.get(self.chosen) else {
            return;
        };
        let base = self.proposal().folder;
        let below = row.path.below(&base).filter(|below| !below.is_top());
        let path: &RepoPath = below.unwrap_or(&row.path);
        let offers: Vec<_> = Breadth::ALL
            .into_iter()
            .filter_map(|breadth| breadth.pattern(path))
            .collect();
        if offers.is_empty() {
            return;
        }
        let is_of_it = offers.iter().any(|offer| *offer == self.pattern.as_bytes());
        self.width = if is_of_it {
            (self.width + 1) % offers.len()
        } else {
            0
        };
        self.pattern = offers[self.width].to_string();
        self.types(jobs);
    }

    /// The rules for what came that are proposed.
    pub fn proposed(&self) -> impl Iterator<Item = &Learned> {
        let learned = self.learned.iter();
        learned.filter(|new| new.status == LearnedStatus::Proposed)
    }

    /// A rule for what came; each time the next.
    fn next_learned(&mut self, jobs: &Sender<WorkerRequest>) {
        let rules: Vec<String> = self.proposed().map(|new| new.rule.to_string()).collect();
        let now = rules.iter().position(|rule| *rule == self.pattern);
        let next = now.map_or(0, |at| (at + 1) % rules.len());
        match rules.get(next) {
            Some(rule) => {
                self.scope = RuleScope::Team;
                self.pattern.clone_from(rule);
                self.types(jobs);
            }
            None => self.said = "nothing new that needs a rule".to_owned(),
        }
    }

    fn next_scope(&mut self, jobs: &Sender<WorkerRequest>) {
        self.scope = match self.scope {
            RuleScope::Team => RuleScope::Folder,
            RuleScope::Folder => RuleScope::Clone,
            RuleScope::Clone => RuleScope::Personal,
            RuleScope::Personal => RuleScope::Team,
        };
        self.pattern = fitted(&self.typed, &self.proposal().folder);
        self.tries(jobs);
    }
}

/// The filter for rows with findings.
pub const FINDINGS: &str = "!";

/// Whether the last part of a path holds a text, or the path up to it does; where the text has no
/// capital letter, these don't count.
fn holds(path: &RepoPath, text: &str) -> bool {
    let whole = path.bare().to_str_lossy();
    let whole = if text.chars().any(char::is_uppercase) {
        whole.into_owned()
    } else {
        whole.to_lowercase()
    };
    let name_at = whole.rfind('/').map_or(0, |slash| slash + 1);
    whole
        .rfind(text)
        .is_some_and(|at| at + text.len() > name_at)
}

/// A pattern that was typed for the file of one folder, so that it means the same in that of
/// another, as far as that can be.
fn fitted((pattern, base): &(String, RepoPathBuf), folder: &RepoPath) -> String {
    if let Some(below) = base.below(folder).filter(|below| !below.is_top()) {
        let (bang, body) = match pattern.strip_prefix('!') {
            Some(body) => ("!", body),
            None => ("", pattern.as_str()),
        };
        return format!("{bang}{}", fit(body, below));
    }
    let inner = folder.below(base).filter(|below| !below.is_top());
    let narrowed = inner.and_then(|below| {
        let start = exactly(below.as_bstr()).to_string();
        let body = pattern.strip_prefix('!').unwrap_or(pattern);
        let bang = &pattern[..pattern.len() - body.len()];
        let rest = body.strip_prefix(&start)?;
        (!rest.is_empty()).then(|| format!("{bang}/{rest}"))
    });
    narrowed.unwrap_or_else(|| pattern.clone())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_pattern_means_the_same_in_its_new_place() {
        let typed = |pattern: &str, base: &str| (pattern.to_owned(), RepoPathBuf::from(base));
        for (pattern, base, folder, wanted) in [
            ("*.raw", "", "", "*.raw"),
            ("/web/dist/", "", "web/", "/dist/"),
            ("!/web/dist/", "", "web/", "!/dist/"),
            ("/web/", "", "web/", "/web/"),
            ("*.raw", "", "web/", "*.raw"),
            ("/dist/", "web/", "", "/web/dist/"),
            ("!*.raw", "web/", "", "!/web/**/*.raw"),
            ("/dist/", "web/", "data/", "/dist/"),
        ] {
            let fitted = fitted(&typed(pattern, base), folder.into());
            assert_eq!(fitted, wanted, "{pattern} of {base:?} in {folder:?}");
        }
    }

    #[test]
    fn a_filter_meets_the_last_part_of_a_path() {
        for (path, text, wanted) in [
            ("data/Raw.txt", "raw", true),
            ("data/raw.txt", "Raw", false),
            ("raw/data.txt", "raw", false),
            ("raw/data.txt", "w/da", true),
            ("raw/", "raw", true),
        ] {
            assert_eq!(holds(path.into(), text), wanted, "{path} {text}");
        }
    }
}
