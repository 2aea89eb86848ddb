//! Forms of a page, sent as a browser without scripts sends them.

use tl::{HTMLTag, ParserOptions};

/// The fields of the first form with this action, as they stand: what is not ticked, chosen or a button is left out.
///
/// # Panics
/// When the page has no such form.
pub fn fields(page: &str, action: &str) -> Vec<(String, String)> {
    let dom = tl::parse(page, ParserOptions::default()).unwrap();
    let parser = dom.parser();
    let form = dom
        .query_selector("form")
        .into_iter()
        .flatten()
        .filter_map(|handle| handle.get(parser)?.as_tag())
        .find(|form| attribute(form, "action").as_deref() == Some(action));
    let form = form.unwrap_or_else(|| panic!("no form is sent to {action}"));
    let mut fields = Vec::new();
    for name in ["input", "select", "textarea"] {
        let found = form.query_selector(parser, name).into_iter().flatten();
        for field in found.filter_map(|handle| handle.get(parser)?.as_tag()) {
            let Some(called) = attribute(field, "name") else {
                continue;
            };
            let kind = attribute(field, "type").unwrap_or_default();
            let value = match name {
                "select" => chosen(field, parser),
                "textarea" => Some(plain(&field.inner_text(parser))),
                _ if matches!(&*kind, "checkbox" | "radio") => has(field, "checked")
                    .then(|| attribute(field, "value").unwrap_or_else(|| "on".to_owned())),
                _ if kind == "file" => None,
                _ => Some(attribute(field, "value").unwrap_or_default()),
            };
            if let (Some(value), false) = (value, has(field, "disabled")) {
                fields.push((called, value));
            }
        }
    }
    fields
}

/// What a list of choices stands at.
fn chosen(list: &HTMLTag, parser: &tl::Parser) -> Option<String> {
    let choices = list.query_selector(parser, "option").into_iter().flatten();
    let choices: Vec<&HTMLTag> = choices
        .filter_map(|handle| handle.get(parser)?.as_tag())
        .collect();
    let at = choices.iter().find(|c| has(c, "selected"));
    let at = at.or(choices.first())?;
    Some(attribute(at, "value").unwrap_or_else(|| plain(&at.inner_text(parser))))
}

fn has(tag: &HTMLTag, name: &str) -> bool {
    tag.attributes().get(name).is_some()
}

fn attribute(tag: &HTMLTag, name: &str) -> Option<String> {
    let value = tag.attributes().get(name)?;
    Some(value.map_or(String::new(), |v| plain(&v.as_utf8_str())))
}

/// Text without the escapes that templates write.
fn plain(text: &str) -> String {
    let escapes = [
        ("&#60;", "<"),
        ("&#62;", ">"),
        ("&#34;", "\""),
        ("&#39;", "'"),
        ("&#38;", "&"),
    ];
    escapes
        .into_iter()
        .fold(text.trim().to_owned(), |text, (escape, is)| {
            text.replace(escape, is)
        })
}

#[test]
fn a_form_is_read_as_it_stands() {
    let page = "<form action=\"/other\"><input name=a value=1></form><form action=\"/own\"><input name=\"name\" value=\"a &#38; b\">\
                <input type=checkbox name=on checked><input type=checkbox name=off value=2><button name=do value=x>X</button>\
                <select name=of><option>one<option value=2 selected>two</select><textarea name=text>\nfar</textarea></form>";
    let own = |(a, b): (&str, &str)| (a.to_owned(), b.to_owned());
    let expected = [
        ("name", "a & b"),
        ("on", "on"),
        ("of", "2"),
        ("text", "far"),
    ]
    .map(own);
    assert_eq!(fields(page, "/own"), expected);
}
