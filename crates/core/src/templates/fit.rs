//! Fitting a template's rules to the folder that the project is in.

use bstr::{BStr, BString, ByteSlice, ByteVec};
use redshank_pattern::quote;

/// The pattern for the ignore file at the repository's top that means below `folder` what `pattern`
/// means in a project at the top. `folder` is empty or ends in a slash.
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
pub fn exactly(path: &BStr) -> BString {
    let (bare, slash) = path
        .strip_suffix(b"/")
        .map_or((path.as_bytes(), ""), |bare| (bare, "/"));
    [b"/", quote(bare.as_bstr()).as_slice(), slash.as_bytes()]
        .concat()
        .into()
}
