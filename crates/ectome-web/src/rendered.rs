//! A part of a page that a template of ours has drawn already.

use std::fmt;

use askama::Template;

/// What a template wrote: text in it is escaped, since templates escape whatever they are given.
pub struct Rendered(String);

impl Rendered {
    /// Draws a template.
    ///
    /// # Errors
    /// When the template cannot be drawn.
    pub fn of(template: &impl Template) -> askama::Result<Self> {
        template.render().map(Self)
    }
}

impl fmt::Display for Rendered {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl askama::FastWritable for Rendered {
    fn write_into(&self, dest: &mut dyn fmt::Write, _: &dyn askama::Values) -> askama::Result<()> {
        Ok(dest.write_str(&self.0)?)
    }
}

/// Pages write it as it is: it was escaped when it was drawn.
impl askama::filters::HtmlSafe for Rendered {}
