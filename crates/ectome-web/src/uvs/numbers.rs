//! The UVs of a mesh in numbers and words.

use ectome_recipe::uv::sheet::Sheet;

use crate::words;

/// A figure with its name and what it means.
pub struct NumberLine {
    pub name: &'static str,
    pub value: String,
    pub title: &'static str,
    pub class: &'static str,
}

/// Something that is wrong, and the button that repairs it.
pub struct Fault {
    pub says: String,
    /// Islands to show, as a list of numbers.
    pub islands: String,
    pub action: &'static str,
    pub button: &'static str,
    /// The islands must be chosen for the action.
    pub chooses: bool,
}

/// What the partial shows.
pub struct UvNumbersView {
    pub any: bool,
    pub lines: Vec<NumberLine>,
    pub faults: Vec<Fault>,
}

/// Puts a sheet into words; `wanted` is the brief's texel density.
pub fn uv_numbers(sheet: &Sheet, size: u32, wanted: f64) -> UvNumbersView {
    let n = &sheet.report.numbers;
    if n.islands == 0 {
        return UvNumbersView {
            any: false,
            lines: Vec::new(),
            faults: Vec::new(),
        };
    }
    UvNumbersView {
        any: true,
        lines: lines(sheet, size, wanted),
        faults: faults(sheet),
    }
}

fn lines(sheet: &Sheet, size: u32, wanted: f64) -> Vec<NumberLine> {
    let n = &sheet.report.numbers;
    let line = |name, value, title, class| NumberLine {
        name,
        value,
        title,
        class,
    };
    let off = n.texels_per_metre / wanted;
    vec![
        line("Islands", words::grouped(n.islands as u64), "", ""),
        line(
            "Stacked, sheets",
            format!("{}, {}", words::grouped(n.stacked as u64), n.sheets),
            "Islands that lie exactly on an earlier one, and sheets in use",
            "",
        ),
        line(
            "Coverage",
            format!("{:.1} %", n.coverage_percent),
            "Share of the sheet that is used",
            "",
        ),
        line(
            "Texel density",
            format!(
                "{} texels/m",
                words::grouped(n.texels_per_metre.round() as u64)
            ),
            "Mean over the area, at the brief's size of texture",
            if off < 0.8 { "is-tight" } else { "" },
        ),
        line(
            "Brief asks for",
            format!("{} at {size}", words::grouped(wanted.round() as u64)),
            "",
            "",
        ),
        line(
            "Spread, islands",
            format!("{:.1} %", n.density_spread_percent),
            "Standard deviation of the islands' densities over their mean, weighed by area",
            "",
        ),
        line(
            "Spread, triangles",
            format!("{:.1} %", n.density_spread_triangles_percent),
            "The same for single triangles",
            "",
        ),
        line(
            "Stretch L² / L∞",
            format!("{} / {}", figure(n.stretch_l2, 3), figure(n.stretch_max, 2)),
            "L² and L∞ of Sander et al. 2001; 1 is true to size",
            if n.stretch_l2 > 1.25 { "is-tight" } else { "" },
        ),
        line(
            "Smallest gap",
            n.smallest_gap_texels
                .map_or_else(|| "none".to_owned(), |g| format!("{g:.1} texels")),
            "Between islands, and from islands to the edge of the sheet",
            if n.smallest_gap_texels.is_some_and(|g| g < 1.0) {
                "is-tight"
            } else {
                ""
            },
        ),
        line(
            "Overlap",
            format!("{:.2} %", n.overlap_percent),
            "Share of the used area that several islands lie on; stacks do not count",
            if n.overlapping.is_empty() {
                ""
            } else {
                "is-over"
            },
        ),
        line(
            "Off the sheet",
            words::grouped(n.out_of_range.len() as u64),
            "Islands",
            if n.out_of_range.is_empty() {
                ""
            } else {
                "is-tight"
            },
        ),
        line(
            "Inside-out",
            words::grouped(n.inside_out.len() as u64),
            "Islands; mirrored copies in a stack do not count",
            if n.inside_out.is_empty() {
                ""
            } else {
                "is-over"
            },
        ),
    ]
}

/// A stretch with some decimals, as far as they matter.
fn figure(v: f64, decimals: usize) -> String {
    match v {
        v if v < 10.0 => format!("{v:.decimals$}"),
        v if v < 1000.0 => format!("{v:.0}"),
        _ => "over 1000".to_owned(),
    }
}

fn faults(sheet: &Sheet) -> Vec<Fault> {
    let n = &sheet.report.numbers;
    let mut out = Vec::new();
    let mut add = |list: &[u32], what: &str, action, button, chooses| {
        if list.is_empty() {
            return;
        }
        let islands = match list.len() {
            1 => "1 island".to_owned(),
            k => format!("{} islands", words::grouped(k as u64)),
        };
        let numbers: Vec<String> = list.iter().map(u32::to_string).collect();
        out.push(Fault {
            says: format!("{islands} {what}"),
            islands: numbers.join(","),
            action,
            button,
            chooses,
        });
    };
    let verb = |list: &[u32], one: &'static str, many: &'static str| {
        if list.len() == 1 { one } else { many }
    };
    add(
        &n.inside_out,
        verb(&n.inside_out, "lies inside-out", "lie inside-out"),
        "turn_over",
        "Turn over",
        false,
    );
    add(
        &n.overlapping,
        verb(&n.overlapping, "overlaps", "overlap each other"),
        "separate",
        "Lay apart",
        false,
    );
    add(
        &n.out_of_range,
        verb(&n.out_of_range, "leaves the sheet", "leave the sheet"),
        "separate",
        "Move into the sheet",
        false,
    );
    add(
        &sheet.report.over_long,
        verb(
            &sheet.report.over_long,
            "is longer than 80 % of the sheet",
            "are longer than 80 % of the sheet",
        ),
        "split",
        "Split across the length",
        true,
    );
    if n.without_uvs > 0 {
        out.push(Fault {
            says: format!(
                "{} triangles have no UVs",
                words::grouped(n.without_uvs as u64)
            ),
            islands: String::new(),
            action: "",
            button: "",
            chooses: false,
        });
    }
    if n.collapsed_triangles > 0 {
        out.push(Fault {
            says: format!(
                "{} triangles have no area on the sheet; unwrap their islands again",
                words::grouped(n.collapsed_triangles as u64)
            ),
            islands: String::new(),
            action: "",
            button: "",
            chooses: false,
        });
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn large_stretches_are_cut_short() {
        assert_eq!(figure(1.0042, 3), "1.004");
        assert_eq!(
            (figure(410.76, 2).as_str(), figure(2e5, 2).as_str()),
            ("411", "over 1000")
        );
    }
}
