//! An ignore file while it is drafted: what stood in it is read once, and what comes in behind it
//! is kept by the folder that it is for, so that a thousand projects cost a thousand times one.

use bstr::{BStr, BString, ByteSlice};
use redshank_pattern::Case;
use redshank_worktree::ignore_file::{Block, Section, add_section, blocks, lines_of};
use redshank_worktree::rules::{RuleList, Source};
use redshank_worktree::{RepoPath, RepoPathBuf};
use std::collections::HashMap;
use std::sync::Arc;

/// An ignore file, as it is and as it would be.
#[derive(Default)]
pub struct Edited {
    /// As it is.
    pub before: Vec<u8>,
    /// As it would be.
    pub after: Vec<u8>,
}

/// An ignore file that is being drafted.
pub(crate) struct DraftedFile {
    pub(crate) text: Edited,
    /// The folder that it lies in.
    folder: RepoPathBuf,
    case: Case,
    /// The blocks of templates that stood in it, by their labels.
    blocks: HashMap<BString, Block>,
    /// How often each line stood in it.
    lines: HashMap<BString, usize>,
    /// The same without the lines of blocks.
    own_lines: HashMap<BString, usize>,
    /// The rules that stood in it, with changes in their midst.
    stood: Option<Arc<RuleList>>,
    /// What came in behind them, by the folder that it is for; each with its place in the order.
    added: HashMap<RepoPathBuf, Vec<(usize, Arc<RuleList>)>>,
    count: usize,
}

impl DraftedFile {
    /// A file as it is: what it holds, and its rules.
    pub(crate) fn of(
        folder: &RepoPath,
        contents: &[u8],
        rules: Option<Arc<RuleList>>,
        case: Case,
    ) -> Self {
        let known = blocks(contents);
        let (mut lines, mut own_lines) = (HashMap::new(), HashMap::new());
        let mut inside = known.iter().map(|block| block.place.clone()).peekable();
        for line in lines_of(contents) {
            let at = line.number as usize - 1;
            while inside.next_if(|place| place.end <= at).is_some() {}
            *lines.entry(line.text.to_owned()).or_default() += 1;
            if inside.peek().is_none_or(|place| !place.contains(&at)) {
                *own_lines.entry(line.text.to_owned()).or_default() += 1;
            }
        }
        let mut blocks = HashMap::new();
        for block in known {
            // Of several with one label, the first counts.
            blocks.entry(block.label.clone()).or_insert(block);
        }
        Self {
            text: Edited {
                before: contents.to_vec(),
                after: contents.to_vec(),
            },
            folder: folder.to_owned(),
            case,
            blocks,
            lines,
            own_lines,
            stood: rules,
            added: HashMap::new(),
            count: 0,
        }
    }

    /// The block with that label that stood in it.
    pub(crate) fn block(&self, label: &str) -> Option<&Block> {
        self.blocks.get(label.as_bytes().as_bstr())
    }

    /// Whether a line stood in it elsewhere than in a block.
    pub(crate) fn stands_outside(&self, block: &Block, line: &BString) -> bool {
        let inside = block.lines.iter().filter(|own| *own == line).count();
        self.lines.get(line).is_some_and(|count| *count > inside)
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
        let own = blocks(&self.text.after);
        let in_block = |number: u32| {
            own.iter()
                .any(|block| block.place.contains(&(number as usize - 1)))
        };
        let kept = lines_of(&self.text.after)
            .filter(|line| in_block(line.number) || !wanted(line.text))
            .map(|line| line.whole);
        let kept = kept.collect::<Vec<_>>().concat();
        self.own_lines.retain(|line, _| !wanted(line.as_bstr()));
        self.replace(kept);
    }

    /// Puts another text in the place of all of it.
    pub(crate) fn replace(&mut self, text: Vec<u8>) {
        let rules = RuleList::parse(Source::of_folder(self.folder.clone()), &text, self.case);
        self.stood = Some(Arc::new(rules));
        self.added.clear();
        self.text.after = text;
    }

    /// Puts a section behind all that is there, for what lies in a folder.
    pub(crate) fn push(&mut self, section: &Section, revision: Option<u32>, place: &RepoPath) {
        add_section(&mut self.text.after, section, revision);
        let text = bstr::join("\n", &section.lines);
        let source = Source::of_folder(self.folder.clone());
        let rules = Arc::new(RuleList::parse(source, &text, self.case));
        let here = self.added.entry(place.to_owned()).or_default();
        here.push((self.count, rules));
        self.count += 1;
    }

    /// Its rules that may concern what lies in a folder, the weakest first.
    pub(crate) fn rules_for(&self, folder: &RepoPath) -> impl Iterator<Item = Arc<RuleList>> {
        let places = folder.folders_above().chain([RepoPath::top(), folder]);
        let mut added: Vec<&(usize, Arc<RuleList>)> = places
            .filter_map(|place| self.added.get(place))
            .flatten()
            .collect();
        added.sort_by_key(|(nth, _)| *nth);
        added.dedup_by_key(|(nth, _)| *nth);
        let added = added.into_iter().map(|(_, rules)| Arc::clone(rules));
        self.stood.iter().cloned().chain(added)
    }
}
