//! Compiles and evaluates expressions.

use std::collections::BTreeMap;
use std::sync::{Arc, LazyLock};

use minijinja::value::{Object, Rest, ValueKind};
use minijinja::{Environment, Error, ErrorKind, UndefinedBehavior, Value};
use rust_decimal::Decimal;

use super::sorts::{Checker, Wants};
use super::{CompiledEach, EachFunction, Expression, ExpressionError, Field, Listed, Use};
use crate::document::{FieldPath, Step};
use crate::names::Names;
use crate::rulebook::{KindId, Rulebook};
use crate::said::said;

/// The steps that the evaluation of an expression may take.
const FUEL: u64 = 100_000;

/// The signs and words that an expression may be made of. What is longer is no rule that anybody reads, and deeper
/// than a thread's stack.
const LONGEST: usize = 400;

/// The functions of the language; without any state.
static LANGUAGE: LazyLock<Environment<'static>> = LazyLock::new(|| {
    let mut env = Environment::new();
    env.set_undefined_behavior(UndefinedBehavior::Strict);
    env.set_fuel(Some(FUEL));
    env.add_function("ceil", |x: f64| whole(x.ceil()));
    env.add_function("floor", |x: f64| whole(x.floor()));
    env.add_function("min", |values: Rest<Value>| extreme(&values, std::cmp::Ordering::Less));
    env.add_function("max", |values: Rest<Value>| extreme(&values, std::cmp::Ordering::Greater));
    env.add_test("empty", |value: Value| value.is_undefined() || value.is_none() || value.len() == Some(0));
    env
});

fn whole(value: f64) -> Value {
    if value.abs() < 9e15 { Value::from(value as i64) } else { Value::from(value) }
}

fn extreme(values: &[Value], wanted: std::cmp::Ordering) -> Result<Value, Error> {
    let mut best: Option<&Value> = None;
    for value in values {
        if value.kind() != ValueKind::Number {
            return Err(Error::new(ErrorKind::InvalidOperation, "`min` and `max` compare numbers"));
        }
        if best.is_none_or(|best| value.cmp(best) == wanted) {
            best = Some(value);
        }
    }
    best.cloned().ok_or_else(|| Error::new(ErrorKind::MissingArgument, "`min` and `max` need numbers"))
}

/// What an expression is evaluated over.
pub(crate) trait Scope {
    /// The value of a field, read by its type; none if it is absent.
    fn field(&self, field: &Field) -> Option<Value>;
    /// The id that a field names, and a field of that definition.
    fn follow(&self, of: &Field, kinds: &[KindId], field: &FieldPath) -> Option<(String, Option<Value>)>;
    /// The definition's id.
    fn id(&self) -> String;
    /// The definition's kind.
    fn kind(&self) -> String;
    /// The key of an entry of a map.
    fn key(&self) -> Option<String>;
    /// The entries of a list or map, each with fields of its own; none if it is absent.
    fn entries<'s>(&'s self, list: &Listed) -> Option<Vec<Entry<'s>>>;
}

/// An entry of a list or map that is asked about.
pub(crate) type Entry<'s> = Box<dyn Scope + 's>;

/// What came of an evaluation.
#[derive(Debug)]
pub(crate) enum Outcome {
    /// The value.
    Value(Value),
    /// It reads something that is absent, without asking.
    Absent,
    /// It could not be evaluated.
    Failed(String),
}

impl Outcome {
    /// Whether it is true; nothing if it could not be said.
    pub(crate) fn truth(&self) -> Option<bool> {
        match self {
            Outcome::Value(value) => Some(value.is_true()),
            _ => None,
        }
    }
}

/// The variables of one evaluation: few, found by comparing names.
#[derive(Debug)]
struct Variables(Vec<(Arc<str>, Value)>);

impl Object for Variables {
    fn get_value(self: &Arc<Self>, key: &Value) -> Option<Value> {
        self.get_value_by_str(key.as_str()?)
    }

    fn get_value_by_str(self: &Arc<Self>, key: &str) -> Option<Value> {
        self.0.iter().find(|(name, _)| **name == *key).map(|(_, value)| value.clone())
    }
}

/// `ref`: the definitions that the expression may reach, by id, with the fields it reads.
#[derive(Debug)]
struct Targets(Vec<(String, Value)>);

impl Object for Targets {
    fn call(self: &Arc<Self>, _: &mut minijinja::State<'_, '_>, args: &[Value]) -> Result<Value, Error> {
        let id = args.first().and_then(Value::as_str).unwrap_or("");
        Ok(self.0.iter().find(|(known, _)| known == id).map_or(Value::UNDEFINED, |(_, value)| value.clone()))
    }
}

impl Expression {
    /// Checks and compiles an expression over the fields of a kind. `truth` asks for true or false.
    ///
    /// # Errors
    /// What is wrong with it, in order of place.
    pub(crate) fn new(
        source: &str,
        kind: KindId,
        rulebook: &Rulebook,
        names: &Names,
        truth: bool,
    ) -> Result<Expression, Vec<ExpressionError>> {
        let checker = Checker::new(rulebook, names, kind, &[]);
        let checker = checked(checker, source, if truth { Wants::Truth } else { Wants::Any })?;
        with_calls(source, checker.uses, checker.each)
    }

    /// Where the first entry stands for which the expression does not hold: in a list that it asks `every` of.
    pub(crate) fn failing_entry(&self, scope: &dyn Scope) -> Option<(FieldPath, usize)> {
        let deciding =
            |call: &&CompiledEach| call.decides && call.function == EachFunction::Every && call.list.of.is_none();
        self.each.iter().filter(deciding).find_map(|call| {
            let entries = scope.entries(&call.list)?;
            let fails =
                |entry: &Entry<'_>| matches!(call.inner.eval(&**entry), Outcome::Value(value) if !value.is_true());
            Some((call.list.field.path.clone(), entries.iter().position(fails)?))
        })
    }

    /// Checks a formula: an expression for a number over the fields of a kind and further names.
    ///
    /// # Errors
    /// What is wrong with it, in order of place.
    pub(crate) fn check_formula(
        source: &str,
        kind: KindId,
        extra: &[String],
        rulebook: &Rulebook,
        names: &Names,
    ) -> Result<(), Vec<ExpressionError>> {
        let checker = Checker::new(rulebook, names, kind, extra);
        checked(checker, source, Wants::Number).map(|_| ())
    }

    /// Evaluates it over a definition.
    pub(crate) fn eval(&self, scope: &dyn Scope) -> Outcome {
        let mut variables: Vec<(Arc<str>, Value)> = Vec::with_capacity(self.uses.len());
        let mut nested: BTreeMap<Arc<str>, BTreeMap<Vec<String>, Value>> = BTreeMap::new();
        let mut targets: BTreeMap<String, BTreeMap<String, Value>> = BTreeMap::new();
        for used in &self.uses {
            match used {
                Use::Field { field, asked } => {
                    let value = scope.field(field);
                    if value.is_none() && !*asked && !self.is_asked(&field.path) {
                        return Outcome::Absent;
                    }
                    if field.keys.len() == 1 {
                        variables.extend(value.map(|value| (field.name.clone(), value)));
                        continue;
                    }
                    let keys = field.path.steps().iter().skip(1).filter_map(|step| match step {
                        Step::Key(key) => Some(key.clone()),
                        _ => None,
                    });
                    let below = nested.entry(field.name.clone()).or_default();
                    if let Some(value) = value {
                        below.insert(keys.collect(), value);
                    }
                }
                Use::Ref { of, kinds, field, asked } => match scope.follow(of, kinds, field) {
                    Some((id, value)) => {
                        let fields = targets.entry(id).or_default();
                        match (value, field.steps()) {
                            (Some(value), [Step::Key(name)]) => {
                                fields.insert(name.clone(), value);
                            }
                            (None, _) if !asked => return Outcome::Absent,
                            _ => {}
                        }
                    }
                    None if *asked => {}
                    None => return Outcome::Absent,
                },
                Use::EntryKey => variables.extend(scope.key().map(|key| ("key".into(), Value::from(key)))),
                Use::This => {}
                Use::OwnKey => variables.push(("key".into(), Value::from(scope.id()))),
                Use::Id => variables.push(("id".into(), Value::from(scope.id()))),
                Use::Kind => variables.push(("kind".into(), Value::from(scope.kind()))),
            }
        }
        for call in &self.each {
            match call.eval(scope) {
                Outcome::Value(value) => variables.push((call.name.clone(), value)),
                Outcome::Absent if call.asked => {}
                other => return other,
            }
        }
        for (root, fields) in nested {
            if variables.iter().all(|(name, _)| *name != root) {
                variables.push((root, table(&fields, 0)));
            }
        }
        if self.uses.iter().any(|used| matches!(used, Use::Ref { .. })) {
            let targets = targets.into_iter().map(|(id, fields)| (id, Value::from(fields)));
            variables.push(("ref".into(), Value::from_object(Targets(targets.collect()))));
        }
        if self.uses.contains(&Use::This) {
            let all = Value::from_object(Variables(variables.clone()));
            // in a call over a list, `whole` is another one, and there already
            variables.extend(["this", "whole"].map(|name| (name.into(), all.clone())));
        }
        match self.compiled.eval(Value::from_object(Variables(variables))) {
            Ok(value) => Outcome::Value(value),
            Err(error) if error.kind() == ErrorKind::OutOfFuel => {
                Outcome::Failed(format!("it takes more than the {FUEL} steps that an expression may take"))
            }
            Err(error) => Outcome::Failed(match error.detail() {
                Some(detail) => detail.to_owned(),
                None => error.kind().to_string(),
            }),
        }
    }

    /// Whether the expression asks anywhere if this field is there.
    fn is_asked(&self, path: &FieldPath) -> bool {
        self.uses.iter().any(|used| matches!(used, Use::Field { field, asked: true } if field.path == *path))
    }
}

impl CompiledEach {
    /// Tries the inner expression on every entry. One that reads what an entry lacks counts as no answer:
    /// `every` passes it over, `some` and `count` do not count it, `total` adds nothing.
    fn eval(&self, scope: &dyn Scope) -> Outcome {
        let Some(entries) = scope.entries(&self.list) else { return Outcome::Absent };
        let (mut held, mut total, mut exact) = (0usize, Decimal::ZERO, true);
        let mut sum = 0.0;
        for entry in entries {
            match (self.inner.eval(&*entry), self.function) {
                (Outcome::Failed(reason), _) => return Outcome::Failed(reason),
                (Outcome::Value(value), EachFunction::Total) => match to_decimal(&value) {
                    Some(number) => {
                        exact &= total.checked_add(number).map(|sum| total = sum).is_some();
                        sum += f64::try_from(value).unwrap_or(0.0);
                    }
                    None => return Outcome::Failed("`total` adds numbers".to_owned()),
                },
                (Outcome::Value(value), EachFunction::Every) if !value.is_true() => {
                    return Outcome::Value(Value::from(false));
                }
                (Outcome::Value(value), _) => held += usize::from(value.is_true()),
                (Outcome::Absent, _) => {}
            }
        }
        Outcome::Value(match self.function {
            EachFunction::Every => Value::from(true),
            EachFunction::Some => Value::from(held > 0),
            EachFunction::Count => Value::from(held),
            EachFunction::Total => match i64::try_from(total) {
                Ok(whole) if exact && total.fract().is_zero() => Value::from(whole),
                _ => Value::from(sum),
            },
        })
    }
}

/// How many signs and words an expression is made of, texts and names counted once.
fn length(source: &str) -> usize {
    let (mut count, mut quoted, mut word) = (0, None, false);
    for c in source.chars() {
        match quoted {
            Some(end) => quoted = Some(end).filter(|end| *end != c),
            None if matches!(c, '"' | '\'') => (quoted, word, count) = (Some(c), false, count + 1),
            None if c.is_alphanumeric() || matches!(c, '_' | '.') => {
                count += usize::from(!word);
                word = true;
            }
            None => {
                word = false;
                count += usize::from(!c.is_whitespace());
            }
        }
    }
    count
}

fn checked<'c>(mut checker: Checker<'c>, source: &str, wants: Wants) -> Result<Checker<'c>, Vec<ExpressionError>> {
    let length = length(source);
    if length > LONGEST {
        let message = said!(
            "it is made of {length} signs and words; an expression may be made of {longest}",
            length,
            longest = LONGEST
        );
        let help = Some("say it in several rules, or in fewer words".into());
        return Err(vec![ExpressionError { message, help, range: (0, source.len().min(1)), unknown_field: false }]);
    }
    checker.check(source, wants);
    if checker.faults.is_empty() {
        return Ok(checker);
    }
    checker.faults.sort_by_key(|fault| fault.range);
    Err(checker.faults)
}

/// Compiles an expression with the calls over lists in it: a variable of the same length stands for each of them.
fn with_calls(
    source: &str,
    uses: Vec<Use>,
    calls: Vec<((usize, usize), super::Each)>,
) -> Result<Expression, Vec<ExpressionError>> {
    let mut text = source.to_owned();
    let mut each = Vec::new();
    for (nth, ((from, to), call)) in calls.into_iter().enumerate() {
        let name = format!("each_{nth}");
        if text.get(from..to).is_some_and(|call| call.len() >= name.len()) {
            text.replace_range(from..to, &format!("{name:<width$}", width = to - from));
        }
        each.push(CompiledEach {
            function: call.function,
            list: call.list,
            inner: with_calls(&call.source, call.uses, call.within)?,
            name: name.into(),
            asked: call.asked,
            decides: call.decides,
        });
    }
    compiled(source.to_owned(), &text, uses, each)
}

fn compiled(
    source: String,
    text: &str,
    uses: Vec<Use>,
    each: Vec<CompiledEach>,
) -> Result<Expression, Vec<ExpressionError>> {
    let compiled = LANGUAGE.compile_expression_owned(text.to_owned()).map_err(|error| {
        let message = error.detail().unwrap_or("it cannot be read").to_owned().into();
        vec![ExpressionError { message, help: None, range: (0, source.len()), unknown_field: false }]
    })?;
    Ok(Expression { source, uses, each, compiled })
}

/// Tables out of paths of the same length or longer.
fn table(fields: &BTreeMap<Vec<String>, Value>, depth: usize) -> Value {
    let mut out: BTreeMap<String, Value> = BTreeMap::new();
    let mut deeper: BTreeMap<String, BTreeMap<Vec<String>, Value>> = BTreeMap::new();
    for (path, value) in fields {
        let Some(key) = path.get(depth) else { continue };
        if path.len() == depth + 1 {
            out.insert(key.clone(), value.clone());
        } else {
            deeper.entry(key.clone()).or_default().insert(path.clone(), value.clone());
        }
    }
    for (key, fields) in deeper {
        out.entry(key).or_insert_with(|| table(&fields, depth + 1));
    }
    Value::from(out)
}

/// What an evaluation gave, for people.
pub(crate) fn told(value: &Value) -> String {
    match to_decimal(value) {
        Some(number) => number.to_string(),
        None if value.kind() == ValueKind::Bool => value.is_true().to_string(),
        None => value.to_string(),
    }
}

/// The number that an evaluation gave, exactly where it was exact.
pub(crate) fn to_decimal(value: &Value) -> Option<Decimal> {
    if value.kind() != ValueKind::Number {
        return None;
    }
    match value.as_i64() {
        Some(whole) if value.is_integer() => Some(Decimal::from(whole)),
        _ => Decimal::try_from(f64::try_from(value.clone()).ok()?).ok().map(|value| value.normalize()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::document::{Document, Format};
    use crate::rulebook::load_rulebook;
    use crate::source::FileId;

    fn rulebook() -> (Rulebook, Names) {
        let text = r#"
rulebook = 1
[kinds.boat]
name = "key"
[kinds.boat.fields]
"load" = { type = "integer" }
"marks[]" = { type = "text" }
"keel.depth" = { type = "number" }
"keel.draft_at" = { type = "number" }
"oars" = { type = "integer", optional = true }
"berth" = { link = "quay" }
"span" = { type = "tuple" }
"span[0]" = { type = "integer" }
"span[1]" = { type = "text" }
"cargo[].many" = { type = "integer" }
"cargo[].weight" = { type = "integer", optional = true }
"cargo[].to" = { link = "quay" }
[kinds.quay]
[kinds.quay.fields]
"room" = { type = "number" }
"#;
        let names = Names::new();
        let document = Document::parse(FileId(0), Format::Toml, text.into(), &names);
        let (rulebook, faults) = load_rulebook(&[&document], &names);
        assert_eq!(faults, []);
        (rulebook, names)
    }

    struct Boat;

    impl Scope for Boat {
        fn field(&self, field: &Field) -> Option<Value> {
            match field.path.to_string().as_str() {
                "load" => Some(Value::from(7)),
                "marks" => Some(Value::from(vec!["eel", "salt"])),
                "keel.depth" => Some(Value::from(1.5)),
                "keel.draft_at" => Some(Value::from(1)),
                "berth" => Some(Value::from("north")),
                _ => None,
            }
        }
        fn follow(&self, _: &Field, _: &[KindId], field: &FieldPath) -> Option<(String, Option<Value>)> {
            Some(("north".to_owned(), (field.to_string() == "room").then(|| Value::from(9))))
        }
        fn id(&self) -> String {
            "coot".to_owned()
        }
        fn kind(&self) -> String {
            "boat".to_owned()
        }
        fn key(&self) -> Option<String> {
            None
        }
        fn entries<'s>(&'s self, _: &Listed) -> Option<Vec<Entry<'s>>> {
            Some(vec![Box::new(Crate(2, Some(3))), Box::new(Crate(5, None))])
        }
    }

    /// An entry of the cargo: how many, and the weight of one.
    struct Crate(i64, Option<i64>);

    impl Scope for Crate {
        fn field(&self, field: &Field) -> Option<Value> {
            match field.path.to_string().as_str() {
                "many" => Some(Value::from(self.0)),
                "to" => Some(Value::from("north")),
                "whole.load" => Some(Value::from(7)),
                "weight" => self.1.map(Value::from),
                _ => None,
            }
        }
        fn follow(&self, _: &Field, _: &[KindId], _: &FieldPath) -> Option<(String, Option<Value>)> {
            Some(("north".to_owned(), Some(Value::from(4))))
        }
        fn id(&self) -> String {
            "coot".to_owned()
        }
        fn kind(&self) -> String {
            "boat".to_owned()
        }
        fn key(&self) -> Option<String> {
            None
        }
        fn entries<'s>(&'s self, _: &Listed) -> Option<Vec<Entry<'s>>> {
            None
        }
    }

    #[test]
    fn expressions_read_fields_by_type() {
        let (rulebook, names) = rulebook();
        let kind = rulebook.kind_named("boat").unwrap();
        for (source, wanted) in [
            ("load / 2 == 3.5", "true"),
            ("'eel' in marks and not 'ee' in marks", "true"),
            ("keel.depth * 2 > 2 and keel['depth'] < 2", "true"),
            ("ceil(load * 0.4) + floor(keel.depth)", "4"),
            ("max(load, 9, 3)", "9"),
            ("keel.draft_at < keel.depth", "true"),
            ("ref(berth).room - load", "2"),
            ("oars > 2", "absent"),
            ("oars is defined and oars > 2", "false"),
            ("oars|default(4)", "4"),
            ("marks|length", "2"),
            ("id == 'coot' and kind == 'boat'", "true"),
            ("load // 0", "failed"),
            ("every(cargo, 'many < whole.load')", "true"),
            ("every(cargo, 'many > 2')", "false"),
            ("some(cargo, 'many > 2') and not some(cargo, 'many > 9')", "true"),
            ("count(cargo, 'many > 1') + load", "9"),
            ("total(cargo, 'many') == load", "true"),
            ("total(cargo, 'many * weight')", "6"),
            ("total(cargo, 'many * ref(to).room')", "28"),
            ("every(cargo, 'weight > 1')", "true"),
            ("every(cargo, 'weight is defined')", "false"),
        ] {
            let expression = Expression::new(source, kind, &rulebook, &names, false).unwrap();
            let got = match expression.eval(&Boat) {
                Outcome::Value(value) => value.to_string().to_lowercase(),
                Outcome::Absent => "absent".to_owned(),
                Outcome::Failed(_) => "failed".to_owned(),
            };
            assert_eq!(got, wanted, "{source}");
        }
    }

    #[test]
    fn slips_are_found_when_an_expression_is_loaded() {
        let (rulebook, names) = rulebook();
        let kind = rulebook.kind_named("boat").unwrap();
        for (source, message) in [
            ("lod > 1", "a boat has no field `lod` (the nearest known field is `load`)"),
            ("keel.dept > 1", "`keel` has no field `dept` (the nearest known field is `depth`)"),
            (
                "marks > 1",
                "a list is compared with a number, which never means anything (`x in list` asks whether a list holds x; `list|length` is its length)",
            ),
            ("7 in berth", "behind `in` stands a text, where a list is needed"),
            ("'a' in load", "behind `in` stands a number, where a list is needed"),
            ("load + berth > 1", "this is a text, where a number is needed"),
            ("every(cargo, 'man > 1')", "`cargo[]` has no field `man` (the nearest known field is `many`)"),
            ("every(cargo, 'many')", "this gives a number, where true or false is needed"),
            ("total(load, 'many') > 1", "this is a number, where a list is needed"),
            ("every(cargo, 'many > whole.lod')", "a boat has no field `lod` (the nearest known field is `load`)"),
            ("every(cargo)", "`every` takes a list and an expression in quotes, as in `every(parts, 'many > 1')`"),
            ("span[0] == 'a'", "a number is compared with a text, which never means anything"),
            ("span[2] == 'a'", "`span` has only 2 places"),
            ("cel(load) > 1", "there is no function `cel` (the nearest known one is `ceil`)"),
            ("marks|lenght > 1", "there is no filter `lenght` (the nearest known one is `length`)"),
            ("load >", "`load >` is no expression: unexpected end of input, expected expression"),
            ("load + 1", "this gives a number, where true or false is needed"),
            ("ref(berth).rom > 1", "a quay has no field `rom` (the nearest known field is `room`)"),
            ("ref(load).room > 1", "`ref` takes a field that names a definition, not a number"),
        ] {
            let errors = Expression::new(source, kind, &rulebook, &names, true).unwrap_err();
            assert_eq!(errors[0].to_string(), message, "{source}");
        }
    }
}
