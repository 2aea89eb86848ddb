//! Reads the source in another unit or with another axis up.

use ectome_formats::Scene;
use ectome_formats::{
    Space, Up,
    space::{UNITS, metres as metres_of},
};
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{
    form::{Field, Form, Offer, Sent},
    kind::{Done, Kind},
};
use crate::EngineError;

/// Reads the source in another unit or with another axis up.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Measure {
    /// Unit and axis.
    pub space: Space,
}

impl Kind for Measure {
    fn title(&self) -> &'static str {
        "Unit and axis"
    }

    fn fault(&self) -> Option<&'static str> {
        let unit = self.space.unit_m;
        (!(unit.is_finite() && unit > 0.0)).then_some("reads a source in a unit of no length")
    }

    const IS_FIRST: bool = true;

    /// The unit is the source's own: it is said once.
    fn beside(self, _: &Self) -> Option<Self> {
        None
    }

    fn form(offer: &Offer) -> Option<Form> {
        let space = offer.space;
        let units = UNITS.map(|(name, m)| (name, name, (m - space.unit_m).abs() < 1e-6));
        let axes = [("y", "Y", Up::Y), ("z", "Z", Up::Z), ("x", "X", Up::X)];
        let fields = vec![
            Field::OneOf {
                name: "unit",
                before: "Counts in",
                of: units.into(),
            },
            Field::OneOf {
                name: "up",
                before: "Up is",
                of: axes.map(|(v, n, up)| (v, n, up == space.up)).into(),
            },
        ];
        let form = Form::of("Unit and axis", "Read it so", fields);
        Some(form.alone().at_once().noted(offer.space_because))
    }

    fn read(_: &str, sent: &dyn Sent) -> Result<Self, String> {
        let unit_m = metres_of(sent.text("unit"))
            .ok_or("A unit is one of m, cm, mm, in and ft. Choose one.")?;
        let up = match sent.text("up") {
            "x" => Up::X,
            "z" => Up::Z,
            _ => Up::Y,
        };
        let space = Space { unit_m, up };
        Ok(Self { space })
    }

    fn make(&self, mut scene: Scene, _: &Progress) -> Result<(Scene, Done), EngineError> {
        let motion = self.space.to_scene();
        for copy in &mut scene.copies {
            copy.motion = motion * copy.motion * motion.inverse();
        }
        scene.mesh = self.space.applied(&scene.mesh);
        let up = match self.space.up {
            Up::X => "X",
            Up::Y => "Y",
            Up::Z => "Z",
        };
        let sentence = format!("Read with {} m to the unit, {up} up", self.space.unit_m);
        let points = scene.mesh.points.len();
        Ok((scene, Done::new(points, sentence)))
    }
}
