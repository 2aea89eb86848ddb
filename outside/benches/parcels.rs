//! The glTF validator on the heavy assets of the demo, in every setting: takes minutes, so it is run when asked for.
//! `cargo bench -p ectome-outside`

use ectome_demo::once;
use ectome_outside::parcels::{LAYOUTS, finds_nothing};
use ectome_recipe::parcel::delivery::Geometry;

fn main() {
    for (name, scene) in [
        ("figurehead", once::figurehead()),
        ("mooring post", once::mooring_post()),
        ("wreck shelf", once::wreck_shelf()),
    ] {
        for geometry in [Geometry::Plain, Geometry::Quantised, Geometry::Compressed] {
            for layout in LAYOUTS {
                finds_nothing(scene.clone(), geometry, layout);
                println!("{name}, {geometry:?}, {layout:?}: nothing");
            }
        }
    }
}
