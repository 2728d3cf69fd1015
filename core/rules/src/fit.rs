//! Patterns made from a path, and patterns carried from one folder to another.

use crate::quote;
use bstr::{BStr, BString, ByteSlice, ByteVec};

/// The pattern for the ignore file at the repository's top that means below `folder` what `pattern`
/// means in a project at the top. `folder` is empty or ends in a slash.
///
/// ```
/// assert_eq!(redshank_rules::fit("/build/", "web/".into()), "/web/build/");
/// assert_eq!(redshank_rules::fit("*.log", "web/".into()), "/web/**/*.log");
/// ```
pub fn fit(pattern: &str, folder: &BStr) -> BString {
    let Some(folder) = folder.strip_suffix(b"/") else {
        return pattern.into();
    };
    let (bang, body) = pattern
        .strip_prefix('!')
        .map_or(("", pattern), |body| ("!", body));
    let anchored = body.strip_suffix('/').unwrap_or(body).contains('/');
    let mut fitted = BString::from(format!("{bang}/"));
    fitted.push_str(quote(folder.as_bstr()));
    fitted.push_str(if anchored { "/" } else { "/**/" });
    fitted.push_str(body.trim_start_matches('/'));
    fitted
}

/// The pattern that matches exactly this path below the top; of a folder, which ends in a slash,
/// only the folder.
///
/// ```
/// assert_eq!(redshank_rules::exactly("web/[old]/".into()), r"/web/\[old]/");
/// ```
pub fn exactly(path: &BStr) -> BString {
    let (bare, slash) = path
        .strip_suffix(b"/")
        .map_or((path.as_bytes(), ""), |bare| (bare, "/"));
    [b"/", quote(bare.as_bstr()).as_slice(), slash.as_bytes()]
        .concat()
        .into()
}

/// How much a pattern made from an example catches.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Breadth {
    /// This one file.
    File,
    /// Every file and folder of that name.
    Name,
    /// Every file with that extension.
    Type,
    /// The folder that it is in.
    Folder,
}

impl Breadth {
    /// All of them, narrow ones first.
    pub const ALL: [Self; 4] = [Self::File, Self::Name, Self::Type, Self::Folder];

    /// The pattern of this breadth for a path relative to the folder of the ignore file, of a
    /// folder if it ends in a slash; none where the path has no extension, or is in no folder
    /// below it.
    ///
    /// ```
    /// use redshank_rules::Breadth;
    /// assert_eq!(Breadth::Type.pattern("web/app.js.map".into()).unwrap(), "*.map");
    /// assert_eq!(Breadth::Folder.pattern("app.js".into()), None);
    /// assert_eq!(Breadth::Name.pattern("web/dist/".into()).unwrap(), "dist/");
    /// ```
    pub fn pattern(self, path: &BStr) -> Option<BString> {
        let (bare, slash) = match path.strip_suffix(b"/") {
            Some(bare) => (bare.as_bstr(), b"/".as_slice()),
            None => (path, b"".as_slice()),
        };
        let name_at = bare.rfind_byte(b'/').map_or(0, |slash| slash + 1);
        let name = &bare[name_at..];
        match self {
            Self::File => Some(exactly(path)),
            Self::Name => Some([quote(name.as_bstr()).as_slice(), slash].concat().into()),
            Self::Type => {
                let dot = name.rfind_byte(b'.').filter(|dot| {
                    let is_inside = *dot > 0 && dot + 1 < name.len();
                    is_inside && slash.is_empty()
                })?;
                let extension = quote(name[dot..].as_bstr());
                Some([b"*", extension.as_slice()].concat().into())
            }
            Self::Folder => (name_at > 0).then(|| exactly(path[..name_at].as_bstr())),
        }
    }
}
