//! What people type for something else.

/// An expression with `==` where a single `=` stands outside of texts; nothing where none does.
pub(super) fn compared(source: &str) -> Option<String> {
    let mut out = String::new();
    let mut quote = None;
    let mut changed = false;
    let mut chars = source.chars().peekable();
    while let Some(c) = chars.next() {
        let before = out.chars().next_back();
        out.push(c);
        match (c, quote) {
            ('\'' | '"', None) => quote = Some(c),
            (c, Some(open)) if c == open => quote = None,
            ('=', None) if chars.peek() == Some(&'=') => out.extend(chars.next()),
            ('=', None) if !matches!(before, Some('!' | '<' | '>' | ':')) => {
                out.push('=');
                changed = true;
            }
            _ => {}
        }
    }
    changed.then_some(out)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_single_sign_is_meant_as_two() {
        assert_eq!(compared("value = 3").as_deref(), Some("value == 3"));
        assert_eq!(compared("a=1 and b >= 2 and c != 'x=y'").as_deref(), Some("a==1 and b >= 2 and c != 'x=y'"));
        assert_eq!(compared("a == 1 and b <= 2 and 'x=y' in c"), None);
    }
}
