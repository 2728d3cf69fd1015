//! Adding rules to the file that fits whom they are for, and taking them out.

use crate::ignore_file::lines_of;
use crate::journal::{Area, FileChange};
use crate::rules::{IGNORE_FILE, Reach, Source};
use crate::templates::exactly;
use crate::tree::Place;
use crate::{Error, Result};
use bstr::{BStr, BString, ByteSlice, ByteVec};
use redshank_pattern::quote;

/// A file that rules are to be written to or taken from.
#[derive(Debug, Clone)]
pub struct Target {
    /// As git prints it; also what an overlay knows it by.
    pub source: Source,
    /// Where its path starts.
    pub area: Area,
    /// Its path, from there.
    pub path: BString,
    /// What it holds; `None` if it isn't there yet.
    pub contents: Option<Vec<u8>>,
}

impl Target {
    /// The file for that reach. `folder`, empty or with a slash at its end, counts for
    /// [`Reach::Folder`].
    ///
    /// # Errors
    /// If there is no such file in this place, it can't be read, or git would not read it.
    pub fn of(place: &Place, reach: Reach, folder: &BStr) -> Result<Self> {
        let (source, area, path): (Source, Area, BString) = match (reach, &place.repository) {
            (Reach::Team | Reach::Folder, _) => {
                let folder = if reach == Reach::Team {
                    b"".as_bstr()
                } else {
                    folder
                };
                let source = Source::of_folder(folder.to_owned());
                let path = source.shown.clone();
                (source, Area::Worktree, path)
            }
            (Reach::Clone, Some(repository)) => {
                let (_, shown) = repository.clone_file();
                (
                    Source {
                        shown,
                        base: BString::default(),
                        reach,
                    },
                    Area::Git,
                    "info/exclude".into(),
                )
            }
            (Reach::Clone, None) => {
                return Err(Error::NoRepository {
                    top: place.top.clone(),
                    what: "there is no clone with rules of its own",
                });
            }
            (Reach::Personal, _) => {
                let personal = place.personal().ok_or(Error::NoPersonalFile)?;
                if personal.by_repository {
                    return Err(Error::NotYourFile(personal.path.clone()));
                }
                let path = Vec::from_path_lossy(&personal.path).into_owned().into();
                (
                    Source {
                        shown: personal.shown.clone(),
                        base: BString::default(),
                        reach,
                    },
                    Area::Personal,
                    path,
                )
            }
        };
        let contents = match reach {
            Reach::Team | Reach::Folder => place.ignore_file(source.base.as_bstr())?,
            Reach::Clone | Reach::Personal => area.read(place, path.as_bstr())?,
        };
        if contents.as_deref().is_some_and(is_utf16) {
            return Err(Error::Unreadable16(place.path(path.as_bstr())));
        }
        Ok(Self {
            source,
            area,
            path,
            contents,
        })
    }

    /// The change from what it holds to what it is to hold.
    pub fn change(&self, after: Vec<u8>) -> FileChange {
        FileChange {
            area: self.area,
            ..FileChange::of(self.path.clone(), self.contents.clone(), after)
        }
    }

    /// What the file would hold with these lines at its end, with line ends as it has them.
    pub fn with(&self, patterns: &[BString]) -> Vec<u8> {
        let mut text = self.contents.clone().unwrap_or_default();
        let end: &[u8] = if text.contains_str("\r\n") {
            b"\r\n"
        } else {
            b"\n"
        };
        if !text.is_empty() && !text.ends_with(b"\n") {
            text.push_str(end);
        }
        for pattern in patterns {
            text.push_str(pattern);
            text.push_str(end);
        }
        text
    }

    /// The patterns that stand in the file already.
    pub fn holds(&self, pattern: &BStr) -> bool {
        self.contents
            .as_deref()
            .is_some_and(|contents| lines_of(contents).any(|line| line.text == pattern))
    }

    /// What the file would hold without the lines that hold this pattern; `None` if there is none.
    pub fn without(&self, pattern: &BStr) -> Option<Vec<u8>> {
        let contents = self.contents.as_deref()?;
        let kept: Vec<&[u8]> = lines_of(contents)
            .filter(|line| line.text != pattern)
            .map(|line| line.whole)
            .collect();
        let kept = kept.concat();
        (kept.len() < contents.len()).then_some(kept)
    }
}

/// Whether a file is UTF-16, which git does not read as rules.
pub fn is_utf16(contents: &[u8]) -> bool {
    contents.starts_with(b"\xff\xfe") || contents.starts_with(b"\xfe\xff")
}

/// How much a rule made from an example catches.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Width {
    /// This one file.
    File,
    /// Every file and folder of that name.
    Name,
    /// Every file with that extension.
    Type,
    /// The folder that it lies in.
    Folder,
}

impl Width {
    /// All of them, narrow ones first.
    pub const ALL: [Self; 4] = [Self::File, Self::Name, Self::Type, Self::Folder];

    /// The pattern of this width for a path relative to the folder of the ignore file; none where
    /// the path has no extension, or lies in no folder below it.
    pub fn pattern(self, path: &BStr) -> Option<BString> {
        let name_at = path.rfind_byte(b'/').map_or(0, |slash| slash + 1);
        let name = &path[name_at..];
        match self {
            Self::File => Some(exactly(path)),
            Self::Name => Some(quote(name.as_bstr())),
            Self::Type => {
                let dot = name
                    .rfind_byte(b'.')
                    .filter(|dot| *dot > 0 && dot + 1 < name.len())?;
                Some(
                    [b"*", quote(name[dot..].as_bstr()).as_slice()]
                        .concat()
                        .into(),
                )
            }
            Self::Folder => (name_at > 0).then(|| exactly(path[..name_at].as_bstr())),
        }
    }
}

/// The rules that keep a folder and drop what is in it, for an ignore file in that folder:
/// everything, but the ignore file itself.
pub fn contents_only() -> Vec<BString> {
    vec!["*".into(), format!("!{IGNORE_FILE}").into()]
}
