//! Texts of a mod, said by the commands.

use std::collections::BTreeMap;

use super::Session;
use crate::author::say_texts;
use crate::dice::Dice;

impl Session {
    /// Says a text of a definition: it shows, and the others do as before.
    pub(super) fn said(&mut self, id: &str, dice: &mut Dice) {
        let (mut world, layer, _) = self.world();
        let (before, texts) = (self.all_shown(), self.texts());
        let key = format!("good.{id}.{}", dice.of(&["name", "more"]));
        let language = dice.of(&["en", "fr"]).to_owned();
        let text = dice.of(&["Eel", "a, \"b\"", "x: y", " two  blanks ", "#1"]).to_owned();
        let said = format!("text set {key} {language} {text:?}");
        match say_texts(&mut world, layer, &[(key.clone(), language.clone(), text.clone())]) {
            Ok(report) => self.take(&world, layer, &said, &report.changes),
            Err(error) => return self.wrong.push(format!("{said}: {error}")),
        }
        let mut wanted = texts;
        wanted.insert((key, language), text);
        let after = self.texts();
        if wanted != after {
            self.wrong.push(format!("{said}: {wanted:?} was meant, {after:?} shows"));
        }
        if before != self.all_shown() {
            self.wrong.push(format!("{said}: definitions changed"));
        }
    }

    /// All texts that count for the mod, by key and language.
    pub(super) fn texts(&self) -> BTreeMap<(String, String), String> {
        let (world, layer, _) = self.world();
        let (view, catalog) = (world.with_ground(layer), world.catalog());
        let all = view.seen.all_texts().map(|(key, language, _)| (key.to_owned(), language.to_owned()));
        let text = |(key, language): (String, String)| {
            let text = view.seen.text(&key, &language).map(|at| catalog.node(at).text().into_owned())?;
            Some(((key, language), text))
        };
        all.collect::<Vec<_>>().into_iter().filter_map(text).collect()
    }
}
