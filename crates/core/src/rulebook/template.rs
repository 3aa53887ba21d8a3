//! Texts with names in braces, which are filled in.

/// The names in braces in a text.
pub(crate) fn names_in(text: &str) -> impl Iterator<Item = &str> {
    text.split('{').skip(1).filter_map(|part| part.split_once('}').map(|(name, _)| name))
}

/// A text with its names in braces filled in; a brace that is not closed stays.
pub(crate) fn filled_in(text: &str, value: &dyn Fn(&str) -> String) -> String {
    let mut out = String::new();
    let mut rest = text;
    while let Some((before, after)) = rest.split_once('{') {
        out.push_str(before);
        match after.split_once('}') {
            Some((name, behind)) => {
                out.push_str(&value(name));
                rest = behind;
            }
            None => {
                out.push('{');
                rest = after;
            }
        }
    }
    out + rest
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_found_and_filled_in() {
        let value = |name: &str| format!("<{name}>");
        for (text, names, filled) in [
            ("eel", vec![], "eel"),
            ("{id} = {price}", vec!["id", "price"], "<id> = <price>"),
            ("{a}{b}", vec!["a", "b"], "<a><b>"),
            ("eel {", vec![], "eel {"),
            ("} {a", vec![], "} {a"),
        ] {
            assert_eq!((names_in(text).collect::<Vec<_>>(), filled_in(text, &value).as_str()), (names, filled));
        }
    }
}
