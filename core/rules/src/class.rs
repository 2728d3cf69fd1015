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
    /// Reads the expression whose opening bracket stands just before `text`. Returns the class and
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
                return Some((Self::new(&members, negated, fold), at + 1));
            }
        }
    }

    fn new(members: &[Member], negated: bool, fold: bool) -> Self {
        let mut class = Self { bits: [0; 4] };
        members.iter().for_each(|member| class.add(member, fold));
        if negated {
            class.bits = class.bits.map(|bits| !bits);
        }
        // A slash is never matched by a class, negated or not, and no text holds a NUL.
        class.bits[0] &= !(1 | 1 << b'/');
        class
    }

    /// Adds the bytes of a member; with `fold`, the lower-case forms of capitals in a range or in
    /// `[:upper:]`, too.
    fn add(&mut self, member: &Member, fold: bool) {
        match *member {
            Member::Byte(byte) => self.put(byte),
            Member::Range(from, to) => {
                for byte in from..=to {
                    self.put(byte);
                    if fold && byte.is_ascii_uppercase() {
                        self.put(byte.to_ascii_lowercase());
                    }
                }
            }
            Member::Named(test, upper) => {
                (0..=u8::MAX).filter(test).for_each(|byte| self.put(byte));
                if upper && fold {
                    (b'a'..=b'z').for_each(|byte| self.put(byte));
                }
            }
        }
    }

    fn put(&mut self, byte: u8) {
        self.bits[usize::from(byte >> 6)] |= 1 << (byte & 63);
    }

    pub(crate) fn has(&self, byte: u8) -> bool {
        self.bits[usize::from(byte >> 6)] >> (byte & 63) & 1 == 1
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
