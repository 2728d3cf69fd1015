//! Bracket expressions: `[a-z]`, `[!0-9]`, `[[:space:]_]`.

/// The bytes that a bracket expression matches.
#[derive(Clone, PartialEq, Eq)]
pub(crate) struct Class {
    bits: [u64; 4],
}

/// How one member of a bracket expression reads.
enum Member {
    Byte(u8),
    Range(u8, u8),
    Named(Test, bool),
}

impl Class {
    /// Reads the expression whose opening bracket stands just before `text`. Gives the class and
    /// how many bytes it took, closing bracket included; `None` if it is never closed or names an
    /// unknown POSIX class, for then git lets the whole pattern match nothing.
    ///
    /// With `fold`, the class is asked about lower-cased bytes only, and git's own asymmetry holds:
    /// a range or `[:upper:]` also takes the upper-case form, a single member does not.
    pub(crate) fn parse(text: &[u8], fold: bool) -> Option<(Self, usize)> {
        let negated = matches!(text.first(), Some(b'!' | b'^'));
        let mut at = usize::from(negated);
        let mut members = Vec::new();
        // The byte that a following `-` would start a range from.
        let mut start: Option<u8> = None;
        loop {
            let byte = *text.get(at)?;
            let after = text.get(at + 1).copied();
            start = match byte {
                b'\\' => {
                    members.push(Member::Byte(after?));
                    at += 1;
                    after
                }
                b'-' if start.is_some() && after.is_some_and(|b| b != b']') => {
                    at += 1;
                    let mut end = after?;
                    if end == b'\\' {
                        at += 1;
                        end = *text.get(at)?;
                    }
                    members.push(Member::Range(start.unwrap_or_default(), end));
                    None
                }
                b'[' if after == Some(b':') => {
                    let named = &text[at + 2..];
                    let close = named.iter().position(|b| *b == b']')?;
                    if named[..close].last() == Some(&b':') {
                        let (test, upper) = named_test(&named[..close - 1])?;
                        members.push(Member::Named(test, upper));
                        at += 2 + close;
                        None
                    } else {
                        members.push(Member::Byte(b'['));
                        Some(b'[')
                    }
                }
                _ => {
                    members.push(Member::Byte(byte));
                    Some(byte)
                }
            };
            at += 1;
            if *text.get(at)? == b']' {
                return Some((Self::of(&members, negated, fold), at + 1));
            }
        }
    }

    fn of(members: &[Member], negated: bool, fold: bool) -> Self {
        let mut class = Self { bits: [0; 4] };
        for byte in 1..=u8::MAX {
            let hit = members.iter().any(|member| member.has(byte, fold));
            // A slash is never matched by a class, negated or not.
            if hit != negated && byte != b'/' {
                class.bits[usize::from(byte >> 6)] |= 1 << (byte & 63);
            }
        }
        class
    }

    pub(crate) fn has(&self, byte: u8) -> bool {
        self.bits[usize::from(byte >> 6)] >> (byte & 63) & 1 == 1
    }
}

impl Member {
    fn has(&self, byte: u8, fold: bool) -> bool {
        let also_upper = fold && byte.is_ascii_lowercase();
        match *self {
            Self::Byte(b) => b == byte,
            Self::Range(from, to) => {
                let within = |b: u8| from <= b && b <= to;
                within(byte) || also_upper && within(byte.to_ascii_uppercase())
            }
            Self::Named(test, upper) => test(&byte) || upper && also_upper,
        }
    }
}

/// Whether a byte belongs.
type Test = fn(&u8) -> bool;

/// The POSIX class of that name, and whether it is the upper-case one.
fn named_test(name: &[u8]) -> Option<(Test, bool)> {
    let test: Test = match name {
        b"alnum" => u8::is_ascii_alphanumeric,
        b"alpha" => u8::is_ascii_alphabetic,
        b"blank" => |b| matches!(b, b' ' | b'\t'),
        b"cntrl" => u8::is_ascii_control,
        b"digit" => u8::is_ascii_digit,
        b"graph" => u8::is_ascii_graphic,
        b"lower" => u8::is_ascii_lowercase,
        b"print" => |b| matches!(b, 0x20..=0x7e),
        b"punct" => u8::is_ascii_punctuation,
        // By git's own table: no vertical tab and no form feed.
        b"space" => |b| matches!(b, b' ' | b'\t' | b'\n' | b'\r'),
        b"upper" => u8::is_ascii_uppercase,
        b"xdigit" => u8::is_ascii_hexdigit,
        _ => return None,
    };
    Some((test, name == b"upper"))
}
