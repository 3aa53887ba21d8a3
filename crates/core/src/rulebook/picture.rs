//! `picture`: what is demanded of the pictures that a field names.

use super::keys;
use crate::document::{Node, Shape};
use crate::names::Names;
use crate::own::{self, OwnFault, Reading};

/// What a picture must be like, in pixels.
#[derive(Clone, Debug, Default)]
pub(crate) struct Picture {
    width: Option<usize>,
    height: Option<usize>,
    /// It falls into whole cells of this width and height.
    cells: Option<(usize, usize)>,
    /// Its width to its height.
    ratio: Option<(usize, usize)>,
}

impl Picture {
    /// Reads the demand; nothing if it says nothing.
    pub(super) fn read(node: Node<'_>, names: &Names, faults: &mut Vec<OwnFault>) -> Option<Picture> {
        if node.shape() != Shape::Table {
            let message = "`picture` takes a table, as `{ width = 32, height = 32 }`";
            faults.push(own::fault(node.place(), message));
            return None;
        }
        let table = Reading::new(node, &keys::PICTURE, names, faults);
        let mut number = |node: Node<'_>| {
            let number = node.text().parse::<usize>().ok().filter(|number| *number > 0);
            if number.is_none() {
                faults.push(own::fault(node.place(), "pixels are a whole number from 1 on"));
            }
            number
        };
        let (width, height) = (table.get("width").and_then(&mut number), table.get("height").and_then(&mut number));
        let cells = table.get("cells").and_then(|node| {
            let sides: Vec<usize> = match node.shape() {
                Shape::List => node.children().filter_map(&mut number).collect(),
                _ => number(node).into_iter().collect(),
            };
            Some((*sides.first()?, *sides.last()?))
        });
        let ratio = table.text("ratio").and_then(|text| {
            let sides = text.split_once(':').and_then(|(width, height)| {
                Some((width.trim().parse::<usize>().ok()?, height.trim().parse::<usize>().ok()?))
            });
            let sides = sides.filter(|(width, height)| *width > 0 && *height > 0);
            if sides.is_none() {
                let place = table.get("ratio").map(|node| node.place());
                faults.extend(place.map(|place| own::fault(place, "`ratio` is width to height, as `\"2:1\"`")));
            }
            sides
        });
        let said = Picture { width, height, cells, ratio };
        let says = said.width.is_some() || said.height.is_some() || said.cells.is_some() || said.ratio.is_some();
        says.then_some(said)
    }

    /// What is wrong with a picture of this size, as the end of a sentence.
    pub(crate) fn wrong(&self, width: usize, height: usize) -> Option<String> {
        let sides =
            self.width.is_some_and(|wanted| wanted != width) || self.height.is_some_and(|wanted| wanted != height);
        if sides {
            let wanted = |side: Option<usize>| side.map_or_else(|| "any".to_owned(), |side| side.to_string());
            return Some(format!("and must be {} × {}", wanted(self.width), wanted(self.height)));
        }
        if let Some((across, down)) = self.cells
            && (!width.is_multiple_of(across) || !height.is_multiple_of(down))
        {
            return Some(format!("which is no whole number of cells of {across} × {down}"));
        }
        match self.ratio {
            Some((across, down)) if width.saturating_mul(down) != height.saturating_mul(across) => {
                Some(format!("and its width must be to its height as {across} to {down}"))
            }
            _ => None,
        }
    }

    /// What is wanted, in words.
    pub(crate) fn words(&self) -> String {
        let mut all = Vec::new();
        match (self.width, self.height) {
            (Some(width), Some(height)) => all.push(format!("{width} × {height}")),
            (Some(width), None) => all.push(format!("{width} wide")),
            (None, Some(height)) => all.push(format!("{height} high")),
            (None, None) => {}
        }
        all.extend(self.cells.map(|(across, down)| format!("in cells of {across} × {down}")));
        all.extend(self.ratio.map(|(across, down)| format!("{across}:{down}")));
        all.join(", ")
    }
}
