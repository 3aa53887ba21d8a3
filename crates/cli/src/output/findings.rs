//! Findings as good compilers draw them, and as JSON.

use std::collections::BTreeMap;

use annotate_snippets::{Annotation, AnnotationKind, Element, Group, Level, Origin, Padding, Renderer, Snippet};
use cognomen_core::{Catalog, Fact, FileId, Finding, LayerId, Lines, Place, Said, Severity, Span, Whose, sheet_in};

use super::{Places, count, drawn, paint, severity_style, visible};
use crate::answers::{FactAnswer, FindingAnswer, RelatedAnswer};
use crate::session::Session;

/// Draws findings; keeps the lines of the file that was drawn last.
pub(crate) struct Drawing<'c> {
    catalog: &'c Catalog,
    renderer: Renderer,
    lines: Option<(FileId, Lines<'c>)>,
}

impl<'c> Drawing<'c> {
    pub(crate) fn new(catalog: &'c Catalog, width: usize) -> Self {
        Drawing { catalog, renderer: Renderer::styled().term_width(width), lines: None }
    }

    fn lines(&mut self, file: FileId) -> &Lines<'c> {
        if self.lines.as_ref().is_none_or(|(known, _)| *known != file) {
            self.lines = Some((file, Lines::new(self.catalog.text(file))));
        }
        &self.lines.as_ref().expect("it was just put there").1
    }

    /// One finding with its source lines, second places and help.
    pub(crate) fn draw(&mut self, finding: &Finding) -> String {
        let level = match finding.severity {
            Severity::Error => Level::ERROR,
            Severity::Warning => Level::WARNING,
            Severity::Note => Level::NOTE,
        };
        let mut elements: Vec<Element<'c>> = self.source(finding.place, AnnotationKind::Primary);
        let mut others: Vec<Group<'c>> = Vec::new();
        for related in &finding.related {
            if related.place.file == finding.place.file && self.near(finding.place.span, related.place) {
                // close by: both marks under one stretch of source
                elements = self.both(finding, related.place, &related.message);
            } else {
                let title = Level::NOTE.secondary_title(visible(&related.message));
                others.push(title.elements(self.source(related.place, AnnotationKind::Context)));
            }
        }
        let title = level.primary_title(visible(&finding.message)).id(finding.code.clone());
        let mut group = title.elements(elements);
        if let Some(game) = &finding.game {
            group = group.element(Level::NOTE.with_name("in the game").message(visible(game)));
        }
        for note in notes(self.catalog, finding) {
            group = group.element(Level::NOTE.with_name("your note").message(visible(note)));
        }
        if finding.follows > 0 {
            let more = count(finding.follows, "more follows", "more follow");
            group = group.element(Level::NOTE.message(format!("{more} from it, not told by itself")));
        }
        if let Some(help) = &finding.help {
            group = group.element(Level::HELP.message(visible(help)));
        } else if !others.is_empty() {
            group = group.element(Padding);
        }
        let mut report = vec![group];
        report.extend(others);
        let drawn = drawn(&self.renderer.render(&report));
        if !drawn.contains(":::") {
            return drawn;
        }
        // the name of a sheet's cell stands in a heading of its own, and the source below has no other
        let is_mark = |line: &str| anstream::adapter::strip_str(&super::clean(line)).to_string().trim() == ":::";
        let lines: Vec<&str> = drawn.lines().filter(|line| !is_mark(line)).collect();
        lines.join("\n")
    }

    /// Whether a second place is shown under the same stretch of source as the first.
    fn near(&mut self, first: Span, second: Place) -> bool {
        let lines = self.lines(second.file);
        let (a, b) = (lines.touched(first).0, lines.touched(second.span).0);
        if a.abs_diff(b) > 6 {
            return false;
        }
        let both = covering(first, second.span);
        both.end - both.start <= 3 * AROUND || !has_long_line(self.window(second.file, a.min(b), a.max(b)).0)
    }

    fn window(&mut self, file: FileId, from: u32, to: u32) -> (&'c str, u32) {
        self.lines(file).window(from, to)
    }

    fn both(&mut self, finding: &Finding, other: Place, message: &Said) -> Vec<Element<'c>> {
        let file = finding.place.file;
        let (first, second) = (self.lines(file).touched(finding.place.span), self.lines(file).touched(other.span));
        let from = first.0.min(second.0);
        let (whole, at) = self.window(file, from, first.1.max(second.1));
        let (text, start) = cropped(whole, at, covering(finding.place.span, other.span));
        let primary = AnnotationKind::Primary.span(within(finding.place.span, start, text));
        let context = AnnotationKind::Context.span(within(other.span, start, text)).label(visible(message));
        let snippet = Snippet::source(text).line_start(from as usize).annotation(primary).annotation(context);
        self.headed(finding.place, snippet, text.len() < whole.len())
    }

    /// A stretch of source under the name of its file; of a sheet with the cell, as spreadsheets call it. Columns of a
    /// stretch that is a part of its line are counted in the line.
    fn headed(&mut self, place: Place, snippet: Snippet<'c, Annotation<'c>>, part: bool) -> Vec<Element<'c>> {
        let path = &self.catalog.file(place.file).path;
        if sheet_in(path).is_some() {
            return vec![Origin::path(crate::output::place(self.catalog, place)).into(), snippet.into()];
        }
        if !part {
            return vec![snippet.path(visible(path)).into()];
        }
        let at = self.lines(place.file).position(place.span.start);
        let origin = Origin::path(visible(path)).line(at.line as usize).char_column(at.column as usize);
        vec![origin.into(), snippet.into()]
    }

    fn source(&mut self, place: Place, kind: AnnotationKind) -> Vec<Element<'c>> {
        let path = visible(&self.catalog.file(place.file).path);
        let text = self.catalog.text(place.file);
        if text.is_empty() || place.span == Span::default() {
            return vec![Origin::path(path).into()];
        }
        let (first, last) = self.lines(place.file).touched(place.span);
        let before = text.get(..place.span.start as usize).unwrap_or("");
        if matches!(place.span.of(text).trim(), "{" | "[")
            && before.trim_matches(['\u{feff}', ' ', '\n', '\r', '\t']).is_empty()
        {
            // the bracket with which a whole file begins shows nothing
            return vec![Origin::path(path).line(first as usize).into()];
        }
        // a mark over many lines says no more than over the first few
        let (whole, at) = self.window(place.file, first, last.min(first + 3));
        let (text, start) = cropped(whole, at, place.span);
        let annotation = kind.span(within(place.span, start, text));
        let snippet = Snippet::source(text).line_start(first as usize).annotation(annotation);
        self.headed(place, snippet, text.len() < whole.len())
    }
}

/// So many bytes beside a mark are shown of a line that is too long to be looked at.
const AROUND: u32 = 80;

fn has_long_line(text: &str) -> bool {
    const LONG: usize = 400;
    text.len() > LONG && text.lines().any(|line| line.len() > LONG)
}

/// From where the first of two begins to where the last ends.
fn covering(a: Span, b: Span) -> Span {
    Span { start: a.start.min(b.start), end: a.end.max(b.end) }
}

/// Only the surroundings of a span, where lines are too long to be looked at; with the offset where they begin.
fn cropped(text: &str, start: u32, span: Span) -> (&str, u32) {
    if !has_long_line(text) {
        return (text, start);
    }
    let inside = |offset: u32| (offset.saturating_sub(start) as usize).min(text.len());
    let around = AROUND as usize;
    let floor = |at: usize| (0..=at).rev().find(|at| text.is_char_boundary(*at)).unwrap_or(0);
    let piece = |from: usize, to: usize| text.get(from..to).unwrap_or("");
    let (at, last) = (floor(inside(span.start)), floor(inside(span.end).min(inside(span.start) + 3 * around)));
    let before = floor(at.saturating_sub(around));
    let from = piece(before, at).rfind('\n').map_or(before, |n| before + n + 1);
    let after = floor((last + around).min(text.len()));
    let to = piece(last, after).find(['\n', '\r']).map_or(after, |n| last + n);
    (piece(from, to), start + u32::try_from(from).unwrap_or(0))
}

/// A span within a window of text, at least one byte where there is one.
fn within(span: Span, start: u32, text: &str) -> std::ops::Range<usize> {
    let from = (span.start.saturating_sub(start) as usize).min(text.len());
    let to = (span.end.saturating_sub(start) as usize).clamp(from, text.len());
    let to = if to == from {
        text.get(from..).and_then(|t| t.chars().next()).map_or(to, |c| from + c.len_utf8())
    } else {
        to
    };
    from..to
}

/// A person's own remarks on what a finding is about.
fn notes<'c>(catalog: &'c Catalog, finding: &Finding) -> Vec<&'c str> {
    let Some(address) = finding.about else { return Vec::new() };
    let field = finding.path.as_ref().and_then(|path| catalog.note_at(address, path));
    catalog.note_on(address).into_iter().chain(field).collect()
}

/// `2 errors, 1 warning in 2 files`.
pub(crate) fn summary(findings: &[&Finding]) -> String {
    let mut parts = Vec::new();
    for (severity, one, several) in [
        (Severity::Error, "error", "errors"),
        (Severity::Warning, "warning", "warnings"),
        (Severity::Note, "note", "notes"),
    ] {
        let number = findings.iter().filter(|finding| finding.severity == severity).count();
        if number > 0 {
            parts.push(paint(severity_style(severity), &count(number, one, several)));
        }
    }
    let mut files: Vec<_> = findings.iter().map(|finding| finding.place.file).collect();
    files.sort_unstable();
    files.dedup();
    format!("{} in {}", parts.join(", "), count(files.len(), "file", "files"))
}

/// The ids of those to whom a finding belongs.
fn whose(catalog: &Catalog, whose: &Whose) -> Vec<String> {
    let id = |layer: &LayerId| catalog.layer(*layer).id.clone();
    match whose {
        Whose::Workspace => Vec::new(),
        Whose::Layer(layer) => vec![id(layer)],
        Whose::Together(layers) => layers.iter().map(id).collect(),
    }
}

/// The facts of what a finding says, then those of its help: of one name the first counts.
fn facts(finding: &Finding) -> BTreeMap<&'static str, FactAnswer> {
    let mut out = BTreeMap::new();
    for (name, fact) in std::iter::once(&finding.message).chain(&finding.help).flat_map(Said::facts) {
        let fact = match fact {
            Fact::Number(number) => FactAnswer::Number(*number),
            Fact::Words(words) => FactAnswer::Words(words.words.clone()),
            Fact::Word(word) | Fact::OneOf(word) => FactAnswer::Word(word.to_string()),
            // what is said within it has told its own
            Fact::Said(_) | Fact::Nothing => continue,
        };
        out.entry(name).or_insert(fact);
    }
    out
}

/// A finding for programs.
pub(crate) fn finding_answer(catalog: &Catalog, places: &Places<'_>, finding: &Finding) -> FindingAnswer {
    let related = finding.related.iter();
    FindingAnswer {
        code: finding.code.to_string(),
        severity: finding.severity.word(),
        message: finding.message.to_string(),
        facts: facts(finding),
        place: places.full(finding.place),
        whose: whose(catalog, &finding.whose),
        address: finding.about.map(|address| catalog.show_address(address)),
        path: finding.path.as_ref().map(ToString::to_string),
        game: finding.game.clone(),
        notes: notes(catalog, finding).into_iter().map(str::to_owned).collect(),
        help: finding.help.as_ref().map(ToString::to_string),
        follows: finding.follows,
        fix: finding.mend.as_ref().map(ToString::to_string),
        related: related
            .map(|one| RelatedAnswer { place: places.full(one.place), message: one.message.to_string() })
            .collect(),
        cause: None,
    }
}

/// So many findings are told beside a change.
const BESIDE: usize = 5;

/// What checks say of a change that was made or shown, a line each: they are not in its way.
pub(crate) fn say_told(told: &[Finding], session: &mut Session) {
    for finding in told.iter().take(BESIDE) {
        let word = format!("{}[{}]", finding.severity.word(), finding.code);
        let word = paint(severity_style(finding.severity), &visible(&word));
        session.remark(format!("{word}: {}", visible(&finding.message.to_string())));
        if let Some(help) = &finding.help {
            session.remark(format!("  help: {}", visible(&help.to_string())));
        }
    }
    if told.len() > BESIDE {
        session.remark(format!("and {} more: `cognomen check`", told.len() - BESIDE));
    }
}

/// The same for programs.
pub(crate) fn told_answers(told: &[Finding], catalog: &Catalog) -> Vec<FindingAnswer> {
    let places = Places::new(catalog);
    told.iter().map(|finding| finding_answer(catalog, &places, finding)).collect()
}
