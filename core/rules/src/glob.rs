//! A pattern made ready for matching, and the match itself.
//!
//! A pattern is cut into its literal head and the tokens behind it. Matching walks the tokens and
//! remembers the last `*` and the last `**` it passed: on a mismatch it lets the `*` take one more
//! byte, and when a slash stops that, the `**` one more folder. Earlier stars never need another
//! try: whatever they could reach, the later one reaches too. So the time grows with length of
//! pattern times length of text at worst, never exponentially.

use crate::class::Class;

/// What a pattern is matched against.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum Against {
    /// The last part of a path: the pattern has no slash.
    Name,
    /// The path below the folder of the rule's file.
    Path,
}

/// A compiled pattern.
#[derive(Clone)]
pub struct Glob {
    kind: Kind,
    fold: bool,
}

#[derive(Clone)]
enum Kind {
    /// Nothing can match: an unclosed bracket, a back-slash at the end.
    Never,
    Literal(Box<[u8]>),
    /// `*` and a literal, against a name.
    Suffix(Box<[u8]>),
    Tokens {
        head: Box<[u8]>,
        tokens: Box<[Token]>,
    },
}

#[derive(Clone, PartialEq)]
enum Token {
    Byte(u8),
    One,
    In(Box<Class>),
    /// `*`: anything but a slash.
    Star,
    /// `**/`: no folder, one, or many.
    Folders,
    /// `**` elsewhere between slashes: anything at all.
    Everything,
}

/// What every text that a pattern matches must have; the field on which an index of rules can file
/// it.
#[derive(Debug, PartialEq, Eq)]
pub enum Key<'a> {
    /// It matches nothing.
    Never,
    /// The whole text.
    Whole(&'a [u8]),
    /// The end of the text, and no more is asked of it.
    End(&'a [u8]),
    /// Each of these somewhere in the text; there may be none.
    Holds(Vec<Vec<u8>>),
}

/// The characters with a meaning of their own.
pub(crate) fn is_special(byte: u8) -> bool {
    matches!(byte, b'*' | b'?' | b'[' | b'\\')
}

impl Glob {
    pub(crate) fn new(pattern: &[u8], against: Against, fold: bool) -> Self {
        Self {
            kind: Kind::new(pattern, against, fold),
            fold,
        }
    }

    pub(crate) fn is_blind(&self) -> bool {
        self.fold
    }

    /// Whether the pattern matches the whole of `text`. In a case-blind pattern, ASCII letters
    /// match either case.
    pub fn matches(&self, text: &[u8]) -> bool {
        let same = |a: &[u8], b: &[u8]| {
            if self.fold {
                a.eq_ignore_ascii_case(b)
            } else {
                a == b
            }
        };
        match &self.kind {
            Kind::Never => false,
            Kind::Literal(literal) => same(literal, text),
            Kind::Suffix(suffix) => {
                text.len() >= suffix.len() && same(&text[text.len() - suffix.len()..], suffix)
            }
            Kind::Tokens { head, tokens } => {
                text.len() >= head.len()
                    && same(&text[..head.len()], head)
                    && tokens_match(tokens, &text[head.len()..], self.fold)
            }
        }
    }

    /// Whether no text at all matches it.
    pub fn matches_nothing(&self) -> bool {
        matches!(self.kind, Kind::Never)
    }

    /// Calls `take` with each three bytes in a row that every text it matches holds. In lower case
    /// where the case is blind.
    pub fn for_each_gram(&self, mut take: impl FnMut([u8; 3])) {
        let mut of_literal = |literal: &[u8]| {
            let grams = literal.windows(3);
            grams.for_each(|bytes| take([bytes[0], bytes[1], bytes[2]]));
        };
        match &self.kind {
            Kind::Never => {}
            Kind::Literal(literal) | Kind::Suffix(literal) => of_literal(literal),
            Kind::Tokens { head, tokens } => {
                of_literal(head);
                for three in tokens.windows(3) {
                    if let [Token::Byte(a), Token::Byte(b), Token::Byte(c)] = three {
                        take([*a, *b, *c]);
                    }
                }
            }
        }
    }

    /// The whole or the end of the texts it matches, where no more is asked of them: what its
    /// [`Key`] holds then. In lower case where the case is blind.
    pub fn literal(&self) -> Option<&[u8]> {
        match &self.kind {
            Kind::Literal(literal) | Kind::Suffix(literal) => Some(literal),
            Kind::Never | Kind::Tokens { .. } => None,
        }
    }

    /// On what an index can file this pattern. Case-blind patterns give lower-case keys.
    pub fn key(&self) -> Key<'_> {
        match &self.kind {
            Kind::Never => Key::Never,
            Kind::Literal(literal) => Key::Whole(literal),
            Kind::Suffix(suffix) => Key::End(suffix),
            Kind::Tokens { head, tokens } => {
                let runs = tokens.split(|token| !matches!(token, Token::Byte(_)));
                let literals = std::iter::once(head.to_vec())
                    .chain(runs.map(|run| run.iter().filter_map(Token::byte).collect::<Vec<u8>>()));
                Key::Holds(literals.filter(|literal| !literal.is_empty()).collect())
            }
        }
    }
}

impl Kind {
    fn new(pattern: &[u8], against: Against, fold: bool) -> Self {
        let head = pattern
            .iter()
            .position(|b| is_special(*b))
            .unwrap_or(pattern.len());
        let lower = |bytes: &[u8]| {
            if fold {
                bytes.to_ascii_lowercase().into()
            } else {
                bytes.into()
            }
        };
        let (literal, rest) = pattern.split_at(head);
        if literal.len() > LONGEST_TEXT {
            Self::Never
        } else if rest.is_empty() {
            Self::Literal(lower(literal))
        } else if against == Against::Name
            && pattern[0] == b'*'
            && !pattern[1..].iter().any(|b| is_special(*b))
        {
            Self::Suffix(lower(&pattern[1..]))
        } else {
            // git compares the literal head first and reads the rest as a pattern of its own: the
            // `**` in `a**/b` is at the start of that rest, and so spans folders.
            match tokens_of(rest, fold) {
                Some(tokens) => Self::Tokens {
                    head: lower(literal),
                    tokens,
                },
                None => Self::Never,
            }
        }
    }
}

/// The longest text that anything is asked about, in bytes: no system takes a path of that length.
/// A pattern that no shorter text matches is not made ready, which would take many times its own
/// size.
const LONGEST_TEXT: usize = 1 << 16;

/// The tokens of a pattern, or `None` if nothing can match it.
fn tokens_of(pattern: &[u8], fold: bool) -> Option<Box<[Token]>> {
    let mut tokens = Vec::with_capacity(pattern.len().min(LONGEST_TEXT));
    let (mut at, mut bytes) = (0, 0);
    while let Some(&byte) = pattern.get(at) {
        bytes += usize::from(byte != b'*');
        if bytes > LONGEST_TEXT {
            return None;
        }
        match byte {
            b'\\' => {
                at += 1;
                // Behind a back-slash git does not fold the case, so that an upper-case letter
                // there never matches.
                tokens.push(Token::Byte(*pattern.get(at)?));
            }
            b'?' => tokens.push(Token::One),
            b'[' => {
                let (class, taken) = Class::parse(&pattern[at + 1..], fold)?;
                tokens.push(Token::In(Box::new(class)));
                at += taken;
            }
            b'*' => {
                let stars = pattern[at..].iter().take_while(|b| **b == b'*').count();
                let after = &pattern[at + stars..];
                let starts_part = at == 0 || pattern[at - 1] == b'/';
                let ends_part = after.is_empty() || after[0] == b'/' || after.starts_with(b"\\/");
                at += stars - 1;
                tokens.push(
                    match (stars > 1 && starts_part && ends_part, after.first()) {
                        (false, _) => Token::Star,
                        (true, Some(b'/')) => {
                            at += 2;
                            // No folder, one or many, twice, is the same.
                            if tokens.last() != Some(&Token::Folders) {
                                tokens.push(Token::Folders);
                            }
                            continue;
                        }
                        (true, _) => Token::Everything,
                    },
                );
            }
            _ => tokens.push(Token::Byte(if fold {
                byte.to_ascii_lowercase()
            } else {
                byte
            })),
        }
        at += 1;
    }
    Some(tokens.into())
}

/// Where to go on after a mismatch: behind which token, with the text from where.
type Retry = Option<(usize, usize)>;

fn tokens_match(tokens: &[Token], text: &[u8], fold: bool) -> bool {
    let (mut token, mut at) = (0, 0);
    let mut star: Retry = None;
    let mut deep: Retry = None;
    loop {
        let advanced = match tokens.get(token) {
            None if at == text.len() => return true,
            None => false,
            Some(Token::Star) => {
                star = Some((token + 1, at));
                token += 1;
                continue;
            }
            Some(Token::Folders | Token::Everything) => {
                deep = Some((token, at));
                star = None;
                token += 1;
                continue;
            }
            Some(one) => text.get(at).is_some_and(|byte| one.takes(*byte, fold)),
        };
        if advanced {
            token += 1;
            at += 1;
            continue;
        }
        // The last `*` takes one byte more, unless that is a slash.
        if let Some((next, from)) = star
            && from < text.len()
            && text[from] != b'/'
        {
            star = Some((next, from + 1));
            (token, at) = (next, from + 1);
            continue;
        }
        star = None;
        let Some((stars, from)) = deep else {
            return false;
        };
        let step = match tokens[stars] {
            Token::Folders => text[from..]
                .iter()
                .position(|b| *b == b'/')
                .map(|slash| slash + 1),
            _ => (from < text.len()).then_some(1),
        };
        let Some(step) = step else { return false };
        deep = Some((stars, from + step));
        (token, at) = (stars + 1, from + step);
    }
}

impl Token {
    fn byte(&self) -> Option<u8> {
        if let Self::Byte(byte) = self {
            Some(*byte)
        } else {
            None
        }
    }

    fn takes(&self, byte: u8, fold: bool) -> bool {
        let byte = if fold {
            byte.to_ascii_lowercase()
        } else {
            byte
        };
        match self {
            Self::Byte(own) => *own == byte,
            Self::One => byte != b'/',
            Self::In(class) => class.has(byte),
            Self::Star | Self::Folders | Self::Everything => false,
        }
    }
}
