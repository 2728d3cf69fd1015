use crate::RepoPathBuf;
use bstr::BString;
use serde::Serialize;

/// Who a rule is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
pub enum RuleScope {
    /// Everyone: the ignore file at the repository's top.
    Team,
    /// Everyone, one folder: an ignore file further down.
    Folder,
    /// Only this clone: its exclude file.
    Clone,
    /// Only this person, in every repository.
    Personal,
}

/// A file that holds rules.
#[derive(Debug, Clone)]
pub struct Source {
    /// As git prints it: relative to the repository's top where it is inside.
    pub shown: BString,
    /// The folder that its rules are relative to.
    pub base: RepoPathBuf,
    /// Who it is for.
    pub scope: RuleScope,
}

impl Source {
    /// A file whose rules hold in the whole tree.
    pub fn everywhere(shown: BString, scope: RuleScope) -> Self {
        Self {
            shown,
            base: RepoPathBuf::default(),
            scope,
        }
    }

    /// The ignore file of a folder.
    pub fn of_folder(base: RepoPathBuf) -> Self {
        Self {
            shown: base.join(crate::IGNORE_FILE).into(),
            scope: if base.is_top() {
                RuleScope::Team
            } else {
                RuleScope::Folder
            },
            base,
        }
    }
}
