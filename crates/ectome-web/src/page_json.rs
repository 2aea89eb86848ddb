//! JSON inside a page. The only way data gets into a script element.

use std::fmt;

use serde::Serialize;

/// JSON that may stand inside an element of an HTML page: nothing in it can end the element or begin another one.
///
/// Inside strings `<`, `>`, `&` and the two line separators that JavaScript once took for line ends are written as escapes
/// (ECMA-404 allows that for every character; OWASP, *Cross Site Scripting Prevention*, rule for JSON in HTML). Outside
/// strings JSON has none of them.
pub struct PageJson(String);

impl PageJson {
    /// A value as JSON; `null` for one that JSON has no words for.
    pub fn of(value: &impl Serialize) -> Self {
        let text = serde_json::to_string(value).unwrap_or_else(|_| "null".to_owned());
        let mut out = String::with_capacity(text.len());
        for c in text.chars() {
            match c {
                '<' => out.push_str("\\u003c"),
                '>' => out.push_str("\\u003e"),
                '&' => out.push_str("\\u0026"),
                '\u{2028}' => out.push_str("\\u2028"),
                '\u{2029}' => out.push_str("\\u2029"),
                c => out.push(c),
            }
        }
        Self(out)
    }
}

impl fmt::Display for PageJson {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl askama::FastWritable for PageJson {
    fn write_into(&self, dest: &mut dyn fmt::Write, _: &dyn askama::Values) -> askama::Result<()> {
        Ok(dest.write_str(&self.0)?)
    }
}

/// Templates write it as it is: it is safe already.
impl askama::filters::HtmlSafe for PageJson {}

#[cfg(test)]
mod tests {
    use super::*;
    use askama::Template;

    #[derive(Template)]
    #[template(
        source = "<script type=\"application/json\">{{ data }}</script>",
        ext = "html"
    )]
    struct Page {
        data: PageJson,
    }

    #[test]
    fn no_string_ends_the_element_and_all_come_back() {
        let hostile = "</script><i hx-post=/x>&amp;<!--\u{2028}\u{2029}\"\\'é";
        let value = serde_json::json!({ "parts": [hostile], hostile: 1 });
        let page = Page {
            data: PageJson::of(&value),
        };
        let text = page.render().unwrap();
        assert_eq!(text.matches('<').count(), 2, "{text}");
        let inside = text
            .split_once('>')
            .and_then(|(_, rest)| rest.rsplit_once('<'))
            .unwrap();
        let back: serde_json::Value = serde_json::from_str(inside.0).unwrap();
        assert_eq!(back, value);
    }
}
