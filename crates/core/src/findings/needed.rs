//! Files that a fresh clone needs, kept out by a rule.

use super::{Class, Finding, Found, Level, Look, Remedy};
use crate::Result;
use crate::ignore_file::NewRule;
use crate::rules::{Reach, Ruling};
use crate::settings::Settings;
use crate::size::Bytes;
use crate::templates::{Needed, Project, exactly, fit};
use crate::tree::{Kind, Oracle, Overlay, Place, State, Tree};
use bstr::{BString, ByteSlice};
use redshank_pattern::{Case, Rule};

/// A needed file that a rule keeps out.
pub struct Swallowed<'a> {
    /// The file.
    pub path: BString,
    /// Why it's needed.
    pub needed: &'a Needed,
    /// The rule that keeps it out.
    pub ruling: Ruling,
    /// The folder above it that the rule shuts, if it's not the file itself; with a slash at its
    /// end.
    pub shut: Option<BString>,
    /// The rule that would let it in, for the ignore file at the top.
    pub exception: NewRule,
    /// The folder of the project that needs it.
    pub folder: BString,
}

impl Swallowed<'_> {
    /// The folder whose ignore file must hold the exception, and the exception for it: behind the
    /// rule that keeps the file out, for a deeper file is stronger.
    pub fn placed(&self) -> (BString, NewRule) {
        let base = match self.ruling.source().reach {
            Reach::Folder => self.ruling.source().base.clone(),
            Reach::Team | Reach::Clone | Reach::Personal => BString::default(),
        };
        let pattern = match self.folder.strip_prefix(base.as_slice()) {
            Some(folder) => fit(&format!("!{}", self.needed.pattern), folder.as_bstr()),
            None => [b"!", exactly(self.path[base.len()..].as_bstr()).as_slice()]
                .concat()
                .into(),
        };
        (
            base,
            NewRule {
                pattern,
                ..self.exception.clone()
            },
        )
    }
}

/// The needed files of these projects that are there, not tracked, and kept out, with ignore files
/// as in `overlay`.
///
/// # Errors
/// If the index or an ignore file can't be read.
pub fn swallowed<'a>(
    place: &Place,
    tree: &Tree,
    projects: &[Project<'a>],
    overlay: Overlay,
) -> Result<Vec<Swallowed<'a>>> {
    let oracle = Oracle::new(place, overlay)?;
    // What must not go out, nobody's clone may need.
    let settings = Settings::read(place)?;
    let mut found = Vec::new();
    for project in projects {
        for needed in &project.template.needed {
            for path in present(place, tree, project, needed)
                .into_iter()
                .filter(|path| !settings.reserves(path.as_bstr()))
            {
                let answer = oracle.ask(path.as_bstr())?;
                if let (State::Ignored, Some(ruling)) = (answer.state, answer.ruling) {
                    let shut = answer.shut.map(|length| path[..=length].into());
                    let exception = NewRule {
                        pattern: fit(&format!("!{}", needed.pattern), project.folder.as_bstr()),
                        reason: format!("needed: {}", needed.reason),
                        remake: None,
                    };
                    let folder = project.folder.clone();
                    found.push(Swallowed {
                        path,
                        needed,
                        ruling,
                        shut,
                        exception,
                        folder,
                    });
                }
            }
        }
    }
    Ok(found)
}

/// The untracked files that a need speaks of. A need without wildcards is looked up on disk, where
/// ignored folders hide nothing.
fn present(place: &Place, tree: &Tree, project: &Project, needed: &Needed) -> Vec<BString> {
    let folder = project.folder.as_bstr();
    if !needed.pattern.contains(['*', '?', '[', '\\']) {
        let path: BString = [
            folder.as_bytes(),
            needed.pattern.trim_start_matches('/').as_bytes(),
        ]
        .concat()
        .into();
        let is_there = place.root.kind(path.as_bstr()) == Some(redshank_files::Kind::File);
        return is_there.then_some(path).into_iter().collect();
    }
    let rule = Rule::parse(needed.pattern.as_bytes(), 1, Case::Sensitive);
    let files = tree
        .below(folder)
        .filter(|entry| entry.kind == Kind::File && entry.state != State::Tracked);
    files
        .filter(|entry| rule.matches(entry.path[folder.len()..].as_bstr(), false))
        .map(|entry| entry.path.clone())
        .collect()
}

pub(super) fn find(look: &Look, found: &mut Found) -> Result<()> {
    for file in swallowed(look.place, look.tree, &look.survey.projects, Overlay::new())? {
        let by = format!(
            "{}, line {}: `{}`",
            file.ruling.source().shown,
            file.ruling.rule().line,
            file.ruling.excerpt()
        );
        let message = format!(
            "a rule keeps it out, but it's needed: {}",
            file.needed.reason
        );
        let found_here = Finding::new(
            Class::Needed,
            "swallowed",
            Level::Warning,
            file.path.as_bstr(),
            message,
        );
        found.findings.push(Finding {
            size: look.place.root.meta(file.path.as_bstr()).ok().map(|found| Bytes(found.size)),
            state: State::Ignored,
            remedy: match &file.shut {
                None => {
                    let (folder, rule) = file.placed();
                    Remedy::LetIn { folder, rule }
                }
                Some(folder) => Remedy::ByHand(format!(
                    "the folder {folder} is shut, so no exception can work; narrow the rule ({by}), \
                     or `git add --force` the file"
                )),
            },
            ..found_here.with_evidence(by)
        });
    }
    Ok(())
}
