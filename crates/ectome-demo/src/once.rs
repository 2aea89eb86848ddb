//! The same assets, each made once in a program: tests ask for them by the dozen, and making the mooring post takes longer than
//! most of what is then tried on it. They stay in memory until the program ends, so the application makes its own.

use std::sync::OnceLock;

use ectome_formats::Scene;

macro_rules! once {
    ($($asset:ident),* $(,)?) => {
        $(
            #[doc = concat!("A copy of [`", stringify!($asset), "`](crate::", stringify!($asset), "()).")]
            #[must_use]
            pub fn $asset() -> Scene {
                static MADE: OnceLock<Scene> = OnceLock::new();
                MADE.get_or_init(crate::$asset).clone()
            }
        )*
    };
}

once!(
    enamel_kettle,
    figurehead,
    harbour_lantern,
    fog_bell,
    mooring_post,
    rope_winch,
    tide_plate,
    wreck_shelf,
);

/// The scene of an asset of [`ASSETS`](crate::ASSETS) by the name of its file.
///
/// # Panics
/// When there is no asset of that name.
#[must_use]
pub fn named(file: &str) -> Scene {
    match file {
        "enamel_kettle" => enamel_kettle(),
        "figurehead" => figurehead(),
        "harbour_lantern" => harbour_lantern(),
        "fog_bell" => fog_bell(),
        "mooring_post" => mooring_post(),
        "rope_winch" => rope_winch(),
        "tide_plate" => tide_plate(),
        "wreck_shelf" => wreck_shelf(),
        _ => panic!("the demo has no asset {file}"),
    }
}
