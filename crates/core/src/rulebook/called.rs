//! Limits of numbers, and special values that may lie beyond them.

use super::types::FieldType;

impl FieldType {
    /// Whether a number lies beyond the limits, and has no name that lets it.
    pub(crate) fn is_beyond(&self, value: f64) -> bool {
        let low = self.min.as_ref().is_some_and(|min| value < min.value);
        let high = self.max.as_ref().is_some_and(|max| value > max.value);
        (low || high) && self.called_at(value).is_none()
    }

    pub(crate) fn called_at(&self, value: f64) -> Option<&str> {
        let all = self.demands()?.called.iter();
        all.into_iter().find(|(known, _)| known.value == value).map(|(_, name)| name.as_str())
    }

    /// The name of a special value, written as a number.
    pub fn called(&self, number: &str) -> Option<&str> {
        self.demands().filter(|demands| !demands.called.is_empty())?;
        self.called_at(crate::document::float(number)?)
    }

    /// The number that has a name.
    pub(crate) fn number_called(&self, name: &str) -> Option<&str> {
        let all = self.demands()?.called.iter();
        all.into_iter().find(|(_, known)| known == name).map(|(number, _)| number.number.notation())
    }
}
