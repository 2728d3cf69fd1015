//! How far each finding's file got.

use super::{Exposure, Found};
use crate::Result;
use crate::tree::{Place, State};
use bstr::{BStr, ByteSlice};

/// Fills in the exposure of every finding, asking git once for all of them.
pub(super) fn fill_in(place: &Place, found: &mut Found) -> Result<()> {
    let Some(repository) = &place.repository else {
        return Ok(());
    };
    let tracked: Vec<&BStr> =
        found.findings.iter().filter(|f| f.state == State::Tracked).map(|f| f.path.as_bstr()).collect();
    if tracked.is_empty() {
        return Ok(());
    }
    let committed = repository.committed(&tracked)?;
    let pushed = repository.pushed(&tracked)?;
    // A folder's finding got as far as any file in it.
    let reached = |paths: &std::collections::HashSet<bstr::BString>, path: &BStr| {
        if path.ends_with(b"/") { paths.iter().any(|one| one.starts_with(path)) } else { paths.contains(path) }
    };
    for finding in found.findings.iter_mut().filter(|finding| finding.state == State::Tracked) {
        finding.exposure = if reached(&pushed, finding.path.as_bstr()) {
            Exposure::Pushed
        } else if reached(&committed, finding.path.as_bstr()) {
            Exposure::Committed
        } else {
            Exposure::Staged
        };
    }
    Ok(())
}
