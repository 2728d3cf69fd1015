//! How a value is written where it was found.

/// How a value is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Quoting {
    Quoted,
    /// As it is, in a file in which values are written so.
    Bare,
    /// As it is, where other things stand as well: in a comment, in prose.
    Loose,
    /// As it is, in the query of an address.
    Query,
    /// As it is, a single word where values are written so, but other things may be meant, too.
    Word,
    /// Between the tags of an element.
    Element,
}
