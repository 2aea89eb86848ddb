//! What the colours of an id map stand for, as a picture: SVG, so that names stay text.

use std::{collections::BTreeMap, fmt::Write};

/// Rows of one column.
const ROWS: usize = 32;
/// Width of a column and height of a row.
const SIZE: (usize, usize) = (260, 24);
/// The most letters of a name.
const LETTERS: usize = 34;

/// Names and their colours (`#rrggbb`) in columns.
pub fn svg(legend: &BTreeMap<String, String>) -> String {
    let columns = legend.len().div_ceil(ROWS).max(1);
    let rows = legend.len().clamp(1, ROWS);
    let (wide, high) = SIZE;
    let mut out = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{}\" height=\"{}\" font-family=\"sans-serif\" font-size=\"13\">\n\
         <rect width=\"100%\" height=\"100%\" fill=\"#ffffff\"/>\n",
        columns * wide,
        rows * high + 8
    );
    for (i, (name, colour)) in legend.iter().enumerate() {
        let (x, y) = (i / ROWS * wide + 8, i % ROWS * high + 8);
        let _ = writeln!(
            out,
            "<rect x=\"{x}\" y=\"{y}\" width=\"28\" height=\"16\" fill=\"{colour}\" stroke=\"#333333\"/><text x=\"{}\" y=\"{}\" \
             fill=\"#111111\">{}</text>",
            x + 36,
            y + 13,
            escaped(name)
        );
    }
    out + "</svg>\n"
}

/// A name as text of XML, cut to what a column has room for. What XML cannot hold is left out.
fn escaped(name: &str) -> String {
    let mut out = String::new();
    for (n, c) in name.chars().filter(|c| !c.is_control()).enumerate() {
        if n == LETTERS {
            out.push('\u{2026}');
            break;
        }
        match c {
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '&' => out.push_str("&amp;"),
            '\u{fffe}' | '\u{ffff}' => {}
            c => out.push(c),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_stay_text_whatever_they_are() {
        let mut legend: BTreeMap<String, String> = (0..40)
            .map(|i| (format!("part {i:02}"), format!("#{i:06x}")))
            .collect();
        legend.insert("</text><script>&\u{7}".to_owned(), "#010203".to_owned());
        let svg = svg(&legend);
        assert_eq!(svg.matches("<text").count(), 41);
        assert!(svg.contains("&lt;/text&gt;&lt;script&gt;&amp;<"), "{svg}");
        assert!(svg.contains("width=\"520\""));
    }
}
