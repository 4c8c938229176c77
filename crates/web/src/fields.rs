//! Form fields that keep what was typed and say what is wrong with it.

/// A field of a form as it is shown: what stands in it and what is wrong with it.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Field {
    pub(crate) text: String,
    pub(crate) fault: Option<String>,
}

impl Field {
    pub(crate) fn new(text: impl Into<String>) -> Self {
        Self { text: text.into(), fault: None }
    }

    /// Reads a number within limits from what was typed; `None` when nothing was typed or it is wrong.
    /// Decimal commas are understood.
    pub(crate) fn number(&mut self, low: f64, high: f64, unit: &str) -> Option<f64> {
        let text = self.text.trim();
        if text.is_empty() {
            return None;
        }
        match text.replace(',', ".").parse::<f64>() {
            Ok(number) if (low..=high).contains(&number) => Some(number),
            _ => {
                self.fault = Some(format!("“{text}” does not work; expected {low} to {high} {unit}").trim_end().into());
                None
            }
        }
    }

    /// Like [`Field::number`], but something has to be typed.
    pub(crate) fn required(&mut self, low: f64, high: f64, unit: &str) -> Option<f64> {
        if self.text.trim().is_empty() {
            self.fault = Some(format!("needed; expected {low} to {high} {unit}").trim_end().into());
            return None;
        }
        self.number(low, high, unit)
    }

    /// A short text that has to be there.
    pub(crate) fn words(&mut self, most: usize) -> Option<String> {
        let text = self.text.trim();
        if text.is_empty() || text.chars().count() > most {
            self.fault = Some(format!("expected 1 to {most} characters"));
            return None;
        }
        Some(text.into())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn keeps_what_was_typed_and_says_what_is_expected() {
        let mut field = Field::new(" 17,5 ");
        assert_eq!(field.number(0.0, 100.0, "%"), Some(17.5));
        let mut field = Field::new("much");
        assert_eq!(field.number(0.0, 100.0, "%"), None);
        assert_eq!(
            (field.text.as_str(), field.fault.as_deref()),
            ("much", Some("“much” does not work; expected 0 to 100 %"))
        );
        assert_eq!(Field::new("NaN").number(0.0, 100.0, "%"), None);
        assert_eq!(Field::new("").number(0.0, 100.0, "%"), None);
        assert_eq!(Field::new("x".repeat(5)).words(4), None);
    }
}
