//! What the Proof step shows of the candidate on the stage.

use ectome_recipe::{
    Brief, Proof,
    proof::Way,
    sight::{self, AtSize},
};
use ectome_store::candidate::{Candidate, PictureBlobs};

use crate::{
    asset::{rows::Rows, sides::Side},
    failure::Failure,
    judged,
    maps::CoarseLine,
    state::App,
    words,
};

/// A figure with its name.
pub struct Fact {
    pub name: &'static str,
    pub value: String,
}

/// One of the 26 directions.
pub struct OutlineLine {
    pub from: String,
    pub pixels: String,
    pub bar: u32,
    /// Where the eye is, for the stage.
    pub eye: String,
}

/// A place that is far off.
pub struct SpotView {
    pub off: String,
    pub part: String,
    pub at: String,
}

/// Deviation one way.
pub struct WayView {
    pub title: &'static str,
    pub mean: String,
    pub max: String,
    /// Heights of the bars in percent of the highest, on a scale of square roots, so that few places show.
    pub bars: Vec<u32>,
    pub spots: Vec<SpotView>,
    pub field: &'static str,
}

/// Everything the step's column shows.
pub struct ProofView {
    /// There is a chain, and so a sheet of it.
    pub has_chain: bool,
    /// Candidates that can stand on the left and on the right.
    pub left: Vec<Side>,
    pub right: Vec<Side>,
    /// The proof itself; `None` without a candidate or for one that needs none.
    pub shown: Option<Shown>,
    /// Why there is none.
    pub why_not: &'static str,
    /// Islands whose texels are too large for what they show.
    pub coarse: Vec<CoarseLine>,
    /// The verdict as a tier.
    pub verdict: Option<VerdictLine>,
}

/// A verdict in words and what to do about it.
pub struct VerdictLine {
    pub says: String,
    pub class: &'static str,
    pub icon: &'static str,
    pub remedies: Vec<String>,
}

/// The proof of a candidate.
pub struct Shown {
    pub nearest: String,
    pub outlines: Vec<OutlineLine>,
    pub outline_mean: String,
    pub outline_worst: String,
    pub outline_from: String,
    pub ways: Vec<WayView>,
    /// What a player sees: colour, coverage, shine; empty where it was not compared.
    pub look: Vec<LookView>,
    pub shading: Vec<Fact>,
    pub shading_from: String,
    pub uvs: Vec<Fact>,
    pub pictures: PictureBlobs,
    /// What other settings bought: beside candidates of the same count.
    pub beside: Vec<String>,
}

/// A figure of the look, with its worst view.
pub struct LookView {
    pub title: &'static str,
    pub says: String,
    pub from: String,
    /// Source, candidate, difference.
    pub pictures: [String; 3],
}

impl ProofView {
    /// Gathers the proof of the candidate on the stage.
    ///
    /// # Errors
    /// When the store cannot be read.
    pub async fn of(app: &App, rows: &Rows) -> Result<Self, Failure> {
        let coarse = match rows.shown() {
            Some(c) if c.has_maps => CoarseLine::of_candidate(app, c).await?,
            _ => Vec::new(),
        };
        Ok(Self {
            coarse,
            ..Self::of_rows(rows)
        })
    }

    fn of_rows(rows: &Rows) -> Self {
        let (brief, asset) = (&rows.brief, &rows.asset);
        let shown = rows.shown();
        let mut left = vec![Side {
            number: 0,
            name: "Source".to_owned(),
            chosen: true,
        }];
        left.extend(Side::with_tiers(rows, None));
        let view = Self {
            has_chain: !rows.chain.is_empty(),
            left,
            right: Side::with_tiers(rows, shown.map(|c| c.number)),
            shown: None,
            why_not: "There is nothing to prove yet. Cut the source or make the chain first.",
            coarse: Vec::new(),
            verdict: None,
        };
        let Some(c) = shown else { return view };
        let number = judged::tier_of(&rows.chain, c);
        let judgement = judged::judge(brief, asset, number, c);
        let not_asked = VerdictLine {
            says: format!("LOD{number} is not asked for by this brief"),
            class: "is-quiet",
            icon: "tight",
            remedies: Vec::new(),
        };
        let verdict = judgement.as_ref().map_or(not_asked, |j| {
            let (_, icon, class) = words::standing(j.standing);
            let remedies = j.requirements.iter().filter(|f| !f.remedy.is_empty());
            VerdictLine {
                says: format!("As LOD{number}: {}", j.sentence()),
                class,
                icon,
                remedies: remedies.map(|f| f.remedy.clone()).collect(),
            }
        });
        let verdict = Some(verdict);
        let (Some(proof), Some(pictures)) = (&c.proof, &c.pictures) else {
            return Self {
                why_not: "This candidate is the source as it came: nothing can differ.",
                verdict,
                ..view
            };
        };
        let nearest_m = judged::seen_from(judgement.as_ref(), brief, asset);
        let beside = beside(c, proof, &rows.tray);
        let diagonal_m = judged::measured(brief, asset, c).map_or(0.0, |m| m.diagonal_m);
        Self {
            shown: Some(Shown {
                look: looks(proof, pictures, diagonal_m / brief.pixel_m(nearest_m)),
                ..Shown::of(proof, pictures, brief, nearest_m, beside)
            }),
            verdict,
            ..view
        }
    }
}

impl Shown {
    fn of(
        proof: &Proof,
        pictures: &PictureBlobs,
        brief: &Brief,
        nearest_m: f64,
        beside: Vec<String>,
    ) -> Self {
        let pixel_mm = brief.pixel_m(nearest_m) * 1e3;
        let worst = proof.worst_outline().map_or(0.0, |v| v.worst_mm) / pixel_mm;
        Self {
            nearest: words::distance(nearest_m),
            outlines: outlines(proof, pixel_mm),
            outline_mean: format!("{:.2} px", proof.outline_mean_mm() / pixel_mm),
            outline_worst: format!("{worst:.1} px"),
            outline_from: proof
                .worst_outline()
                .map_or_else(String::new, |v| from(v.direction)),
            ways: vec![
                way("Source to candidate", &proof.there, "source"),
                way("Candidate to source", &proof.back, "result"),
            ],
            look: Vec::new(),
            shading: shading(proof),
            shading_from: proof
                .worst_shading()
                .map_or_else(String::new, |v| from(v.direction.map(|x| -x))),
            uvs: uvs(proof, brief),
            pictures: pictures.clone(),
            beside,
        }
    }
}

/// How alike both look where they fill so many pixels.
fn looks(proof: &Proof, pictures: &PictureBlobs, edge_px: f64) -> Vec<LookView> {
    let Some(AtSize { look, .. }) = sight::at(&proof.looks, edge_px) else {
        return Vec::new();
    };
    // Pictures show the views that are worst at full size.
    let worst = proof.looks.first().map_or([0; 3], |l| l.look.worst_views);
    let percent = |share: f64| format!("{:.1} %", share * 100.0);
    let says = |figure: &str| match figure {
        sight::COLOUR => (
            "Colour",
            format!(
                "{:.1} off, {:.1} in the worst twentieth",
                look.colour_mean, look.colour_worst
            ),
        ),
        sight::COVERAGE => (
            "Coverage",
            format!(
                "{} gained, {} lost",
                percent(look.gained),
                percent(look.lost)
            ),
        ),
        _ => ("Shine", format!("{} off", percent(look.shine))),
    };
    let views = pictures.look.iter().filter_map(|blobs| {
        let n = sight::FIGURES.iter().position(|f| *f == blobs.figure)?;
        let (title, says) = says(blobs.figure);
        let eye = sight::directions().nth(worst[n])?;
        Some(LookView {
            title,
            says,
            from: from((-eye).to_array()),
            pictures: blobs.pictures.clone(),
        })
    });
    views.collect()
}

/// How alike both are shaded, and what maps give back of it.
fn shading(proof: &Proof) -> Vec<Fact> {
    let fact = |name, value| Fact { name, value };
    let mut list = vec![
        fact(
            "Likeness, mean of 8 views",
            format!("{:.4}", proof.shading_mean()),
        ),
        fact(
            "Least",
            format!("{:.4}", proof.worst_shading().map_or(1.0, |v| v.similarity)),
        ),
    ];
    if let Some(m) = &proof.maps {
        let percent = |v: f64| format!("{:.2} %", v * 100.0);
        list.extend([
            fact("Off without maps", percent(m.without)),
            fact("Off with maps", percent(m.with())),
            fact(
                "of it at outlines, which no map gives back",
                percent(m.at_outlines),
            ),
            fact(
                "of it inside: more texels, or a longer reach",
                percent(m.inside),
            ),
        ]);
    }
    list.push(fact(
        "Normals turned, mean",
        format!("{:.1}°", proof.normals_mean_degrees),
    ));
    list
}

/// How a candidate differs from others of about the same count, which other settings made.
fn beside(c: &Candidate, proof: &Proof, tray: &[Candidate]) -> Vec<String> {
    let near = |a: u64, b: u64| a.abs_diff(b) * 100 <= a.max(b);
    let count = c.triangles.unwrap_or(0);
    let others = tray.iter().rev().filter(|o| {
        o.hash != c.hash && o.triangles.is_some_and(|n| near(n, count)) && o.proof.is_some()
    });
    others
        .take(3)
        .filter_map(|o| {
            let other = o.proof.as_ref()?;
            let change = |what: &str, here: f64, there: f64| {
                let percent = (here / there.max(1e-12) - 1.0) * 100.0;
                let side = if percent < 0.0 { "less" } else { "more" };
                format!("{what} {:.0} % {side}", percent.abs())
            };
            let off = |p: &Proof| (p.there.mean_mm + p.back.mean_mm) / 2.0;
            Some(format!(
                "Beside candidate {}, cut to the same count: {}, {}, {}.",
                o.number,
                change(
                    "outline off by",
                    proof.outline_mean_mm(),
                    other.outline_mean_mm()
                ),
                change("surface by", off(proof), off(other)),
                change(
                    "shading by",
                    1.0 - proof.shading_mean(),
                    1.0 - other.shading_mean()
                ),
            ))
        })
        .collect()
}

fn outlines(proof: &Proof, pixel_mm: f64) -> Vec<OutlineLine> {
    let mut list: Vec<_> = proof.outlines.iter().collect();
    list.sort_by(|a, b| b.worst_mm.total_cmp(&a.worst_mm));
    let most = list.first().map_or(1.0, |v| v.worst_mm).max(1e-9);
    list.iter()
        .map(|v| OutlineLine {
            from: from(v.direction),
            pixels: format!("{:.1}", v.worst_mm / pixel_mm),
            bar: (v.worst_mm / most * 1000.0) as u32,
            eye: v.direction.map(|x| format!("{}", -x)).join(","),
        })
        .collect()
}

/// Where the eye is that looks along a direction, in words.
fn from(direction: [f32; 3]) -> String {
    let [x, y, z] = direction;
    let word = |v: f32, low: &'static str, high: &'static str| match v {
        v if v > 0.3 => low,
        v if v < -0.3 => high,
        _ => "",
    };
    // The eye stands where the view comes from.
    let words = [
        word(y, "below", "above"),
        word(z, "behind", "the front"),
        word(x, "the left", "the right"),
    ];
    let said: Vec<&str> = words.into_iter().filter(|w| !w.is_empty()).collect();
    said.join(", ")
}

fn way(title: &'static str, w: &Way, field: &'static str) -> WayView {
    let most = w.histogram.iter().copied().fold(0.0, f32::max).max(1e-9);
    WayView {
        title,
        mean: words::length(w.mean_mm),
        max: words::length(w.max_mm),
        bars: w
            .histogram
            .iter()
            .map(|&share| ((share / most).sqrt() * 100.0).ceil() as u32)
            .collect(),
        spots: w
            .spots
            .iter()
            .map(|s| SpotView {
                off: words::length(s.off_mm),
                part: s.part.clone(),
                at: s.at_m.map(|v| v.to_string()).join(","),
            })
            .collect(),
        field,
    }
}

fn uvs(proof: &Proof, brief: &Brief) -> Vec<Fact> {
    let Some(u) = &proof.uvs else {
        return Vec::new();
    };
    let edge = f64::from(brief.texture_px);
    let texels = |of_2048: f64| format!("{:.1} texels", of_2048 * edge / 2048.0);
    let pair = |[a, b]: [usize; 2]| {
        format!(
            "{} → {}",
            words::grouped(a as u64),
            words::grouped(b as u64)
        )
    };
    let density = |i: usize| {
        format!(
            "{:.0} texels/m ± {:.0} %",
            u.density[i] * edge,
            u.spread[i] * 100.0
        )
    };
    let fact = |name, value| Fact { name, value };
    vec![
        fact("Drift, mean", texels(u.drift_mean_texels)),
        fact("Drift, largest", texels(u.drift_max_texels)),
        fact("Island outlines off by at most", texels(u.seams_max_texels)),
        fact("Islands", pair(u.islands)),
        fact("Density of the source", density(0)),
        fact("Density of the candidate", density(1)),
        fact(
            "The brief wants",
            format!("{:.0} texels/m", brief.texels_per_metre),
        ),
        fact("Triangles inside-out", pair(u.inverted)),
        fact("Triangles without area on the map", pair(u.flat)),
        fact(
            "Area drawn out to over twice its width",
            format!(
                "{:.1} → {:.1} %",
                u.stretched[0] * 100.0,
                u.stretched[1] * 100.0
            ),
        ),
    ]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn directions_are_said_from_the_eye() {
        assert_eq!(from([0.0, -1.0, 0.0]), "above");
        assert_eq!(from([0.577, 0.577, -0.577]), "below, the front, the left");
    }
}
