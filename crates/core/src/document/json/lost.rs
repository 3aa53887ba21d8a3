//! Brackets that lack: which they are, told by what follows and by the indentation.

use super::super::Fault;
use super::Reader;
use crate::said::said;
use crate::source::Span;

/// What is lost where a list has a key.
pub(super) enum Lost {
    /// The bracket that opens a table.
    Opening,
    /// The one that closes the list.
    Closing,
    /// None: the list is meant to be a table.
    Both,
}

impl Reader<'_, '_, '_> {
    /// Whether what was read last is a key.
    pub(super) fn is_key(&mut self) -> bool {
        let end = self.at;
        self.skip();
        let found = self.peek() == Some(b':');
        self.at = end;
        found
    }

    /// What is lost where a list has a key: told by what closes it, and by what comes then.
    pub(super) fn lost(&mut self, key: usize, mark: usize) -> Lost {
        let end = self.at;
        // files that are no JSON at all are not searched again and again
        self.searched += 1;
        if self.searched > 20 {
            return Lost::Opening;
        }
        self.at = key;
        while !matches!(self.peek(), Some(b'}' | b']') | None) {
            self.skip_balanced();
        }
        let close = self.peek();
        self.at = (self.at + 1).min(self.bytes.len());
        self.skip();
        let comma = self.peek() == Some(b',');
        self.at += usize::from(comma);
        self.skip();
        let next = self.peek();
        self.at = end;
        match (close, next) {
            (Some(b']'), _) if self.builder.mark() == mark => Lost::Both,
            (Some(b'}'), Some(b'{' | b'[' | b']')) => Lost::Opening,
            _ if self.deep > 1 => Lost::Closing,
            _ => Lost::Opening,
        }
    }

    /// Where a text that ends too early is indented by its structure: the first bracket that opens on a line which is
    /// indented further than the one that would close it, with that.
    pub(super) fn outdented(&self) -> Option<(usize, usize)> {
        let indent = |at: usize| {
            let line = self.text.get(..at)?.rfind('\n').map_or(0, |end| end + 1);
            let before = self.text.get(line..at)?;
            Some((before.len() - before.trim_start().len(), before.trim_start().is_empty()))
        };
        let (mut open, mut at) = (Vec::new(), 0);
        while let Some(byte) = self.bytes.get(at) {
            let rest = self.bytes.get(at..).unwrap_or_default();
            at += match byte {
                b'"' => {
                    let mut len = 1;
                    while let Some(inner) = rest.get(len).filter(|inner| !matches!(inner, b'"' | b'\n')) {
                        len += if *inner == b'\\' { 2 } else { 1 };
                    }
                    len + 1
                }
                b'/' if rest.starts_with(b"//") => memchr::memchr(b'\n', rest).unwrap_or(rest.len()),
                b'/' if rest.starts_with(b"/*") => memchr::memmem::find(rest, b"*/").map_or(rest.len(), |end| end + 2),
                b'{' | b'[' => {
                    open.push(at);
                    1
                }
                b'}' | b']' => {
                    let from = open.pop()?;
                    let ((outer, _), (inner, first)) = (indent(from)?, indent(at)?);
                    if first && inner < outer {
                        return Some((from, at));
                    }
                    1
                }
                _ => 1,
            };
        }
        None
    }

    pub(super) fn unclosed(&mut self, start: usize, what: &str, close: char) {
        if self.at >= self.bytes.len() && std::mem::replace(&mut self.ended, true) {
            // what holds it is not closed either
            return;
        }
        let here = self.at.min(self.bytes.len());
        let message = said!("this {what} is not closed by `{close}`", what, close);
        let second = Some((Span::new(here, here), said!("`{close}` expected before this", close)));
        self.builder.push_fault(Fault { span: Span::new(start, start + 1), message, second, repeated_key: false });
    }

    /// Over a bracketed value without reading it.
    pub(super) fn skip_balanced(&mut self) {
        let mut open = 0usize;
        while let Some(byte) = self.peek() {
            match byte {
                b'{' | b'[' => open += 1,
                b'}' | b']' => open = open.saturating_sub(1),
                b'"' => {
                    self.at += 1;
                    while let Some(byte) = self.peek() {
                        match byte {
                            b'\\' => self.at += 1,
                            b'"' | b'\n' => break,
                            _ => {}
                        }
                        self.at += 1;
                    }
                }
                _ => {}
            }
            self.at = (self.at + 1).min(self.bytes.len());
            if open == 0 {
                return;
            }
        }
    }
}
