//! An ignore file while it is drafted: what was in it is read once, and what is to come in is
//! kept apart until it is known to stay.

use crate::draft::section::{DraftLine, section};
use bstr::{BStr, BString};
use redshank_rules::Case;
use redshank_rules::ignore_file::{Block, Section, add_section, blocks, lines_of, with_block};
use redshank_rules::{RepoPath, RepoPathBuf};
use redshank_rules::{RuleList, Source};
use redshank_worktree::settings::Explain;
use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;

/// A file, as it is and as it would be.
#[derive(Default)]
pub struct Edited {
    /// Contents as they are now.
    pub before: Vec<u8>,
    /// As it would be.
    pub after: Vec<u8>,
}

/// A block that is to come in.
pub(crate) struct NewBlock {
    pub(crate) label: String,
    pub(crate) lines: Vec<DraftLine>,
    /// The templates, with the revision of each; none for what isn't remembered.
    pub(crate) templates: BTreeMap<String, u32>,
    pub(crate) places: Vec<BString>,
}

impl NewBlock {
    /// One that holds no template's rules.
    pub(crate) fn of_lines(label: String, lines: Vec<DraftLine>) -> Self {
        Self {
            label,
            lines,
            templates: BTreeMap::new(),
            places: Vec::new(),
        }
    }

    pub(crate) fn section(&self, explain: Explain) -> Section {
        section(self.label.clone(), self.lines.clone(), explain)
    }
}

/// An ignore file that is being drafted.
pub(crate) struct DraftedFile {
    pub(crate) before: Vec<u8>,
    /// What was in it, with changes in its midst.
    text: Vec<u8>,
    folder: RepoPathBuf,
    case: Case,
    /// Its sections as they are.
    pub(crate) blocks: Vec<Block>,
    /// How often each line is in it outside of blocks.
    own_lines: HashMap<BString, usize>,
    /// The rules that are in it, with changes in their midst.
    stood: Option<Arc<RuleList>>,
    /// What comes in behind them.
    pub(crate) new: Vec<NewBlock>,
    /// The rules of that.
    coming: Vec<Arc<RuleList>>,
}

impl DraftedFile {
    /// A file as it is: what it holds, and its rules.
    pub(crate) fn new(
        folder: &RepoPath,
        contents: &[u8],
        rules: Option<Arc<RuleList>>,
        case: Case,
    ) -> Self {
        let mut file = Self {
            before: contents.to_vec(),
            text: contents.to_vec(),
            folder: folder.to_owned(),
            case,
            blocks: Vec::new(),
            own_lines: HashMap::new(),
            stood: rules,
            new: Vec::new(),
            coming: Vec::new(),
        };
        file.read_again();
        file
    }

    fn read_again(&mut self) {
        self.blocks = blocks(&self.text);
        self.own_lines.clear();
        let mut inside = self.blocks.iter().map(|block| &block.place).peekable();
        for line in lines_of(&self.text) {
            let at = line.number as usize - 1;
            while inside.next_if(|place| place.end <= at).is_some() {}
            if inside.peek().is_none_or(|place| !place.contains(&at)) {
                *self.own_lines.entry(line.text.to_owned()).or_default() += 1;
            }
        }
    }

    /// Whether a line is in it outside of blocks.
    pub(crate) fn has_own(&self, line: &BString) -> bool {
        self.own_lines.contains_key(line)
    }

    /// How many of the person's own lines are one of these patterns.
    pub(crate) fn repeats<'p>(&self, patterns: impl IntoIterator<Item = &'p BString>) -> usize {
        let counts = patterns.into_iter();
        counts
            .filter_map(|pattern| self.own_lines.get(pattern))
            .sum()
    }

    /// Takes the person's own lines out that `wanted` names.
    pub(crate) fn take_out(&mut self, wanted: impl Fn(&BStr) -> bool) {
        let in_block = |number: u32| {
            let at = number as usize - 1;
            self.blocks.iter().any(|block| block.place.contains(&at))
        };
        let kept = lines_of(&self.text)
            .filter(|line| in_block(line.number) || !wanted(line.text))
            .map(|line| line.whole);
        let kept = kept.collect::<Vec<_>>().concat();
        self.replace(kept);
    }

    fn replace(&mut self, text: Vec<u8>) {
        self.stood = Some(self.list(&text));
        self.text = text;
        self.read_again();
    }

    fn list(&self, text: &[u8]) -> Arc<RuleList> {
        let source = Source::of_folder(self.folder.clone());
        Arc::new(RuleList::parse(source, text, self.case))
    }

    /// Puts other lines into the place of the block with that label, marks included.
    pub(crate) fn replace_block(&mut self, label: &BStr, instead: &[BString]) {
        if let Some(block) = self.blocks.iter().find(|block| block.label == label) {
            self.replace(with_block(&self.text, &block.place, instead));
        }
    }

    /// Puts a block behind all that is there.
    pub(crate) fn push(&mut self, block: NewBlock) {
        let lines = block.lines.iter().map(|line| &line.pattern);
        let list = self.list(&bstr::join("\n", lines));
        self.coming.push(list);
        match self.new.iter_mut().find(|known| known.label == block.label) {
            Some(known) => known.lines.extend(block.lines),
            None => self.new.push(block),
        }
    }

    /// Whether a line is to come in, in the block of that label.
    pub(crate) fn has_coming(&self, label: &str, pattern: &BString) -> bool {
        let mut of_label = self.new.iter().filter(|block| block.label == label);
        of_label.any(|block| block.lines.iter().any(|line| line.pattern == *pattern))
    }

    /// Whether a block of that label has a line already.
    pub(crate) fn has_in_block(&self, label: &str, pattern: &BString) -> bool {
        let mut of_label = self.blocks.iter().filter(|block| block.label == label);
        of_label.any(|block| block.lines.contains(pattern))
    }

    /// Takes a rule out again that was to come in, or that a block got.
    pub(crate) fn drop_rule(&mut self, pattern: &BStr) {
        for block in &mut self.new {
            block.lines.retain(|line| line.pattern != pattern);
        }
        let in_blocks = |number: u32| {
            let at = number as usize - 1;
            self.blocks.iter().any(|block| block.place.contains(&at))
        };
        let lines =
            lines_of(&self.text).filter(|line| line.text != pattern || !in_blocks(line.number));
        let kept = lines.map(|line| line.whole).collect::<Vec<_>>().concat();
        if kept != self.text {
            self.replace(kept);
        }
        self.coming = self
            .new
            .iter()
            .map(|block| {
                let lines = block.lines.iter().map(|line| &line.pattern);
                self.list(&bstr::join("\n", lines))
            })
            .collect();
    }

    /// Its rules, the weakest first.
    pub(crate) fn rules(&self) -> impl Iterator<Item = Arc<RuleList>> + '_ {
        self.stood.iter().chain(&self.coming).cloned()
    }

    /// What it would hold.
    pub(crate) fn after(&self, explain: Explain) -> Vec<u8> {
        let mut text = self.text.clone();
        for block in self.new.iter().filter(|block| block.is_of_use()) {
            add_section(&mut text, &block.section(explain));
        }
        text
    }
}

impl NewBlock {
    /// Whether it keeps anything out, or re-includes something that other blocks ignore.
    pub(crate) fn is_of_use(&self) -> bool {
        let mut lines = self.lines.iter();
        if self.templates.is_empty() {
            !self.lines.is_empty()
        } else {
            lines.any(|line| !line.pattern.starts_with(b"!"))
        }
    }
}
