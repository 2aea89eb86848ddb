//! How each texel came out, as a picture that a later bake goes on from: its state in grey, how far normals turn inside it in
//! alpha.

use ectome_bake::State;

/// Steps of grey between states.
const APART: u8 = 85;
/// The states by their number.
const STATES: [State; 4] = [State::Bare, State::Nothing, State::Behind, State::Baked];

/// The picture; nothing when it cannot be written.
pub(super) fn png(states: &[State], turns: &[u8], size: usize) -> Vec<u8> {
    let bytes: Vec<u8> = (states.iter().zip(turns))
        .flat_map(|(&state, &turn)| [state as u8 * APART, turn])
        .collect();
    let mut out = Vec::new();
    let mut encoder = png::Encoder::new(&mut out, size as u32, size as u32);
    encoder.set_color(png::ColorType::GrayscaleAlpha);
    encoder.set_compression(png::Compression::Fast);
    let written = encoder
        .write_header()
        .and_then(|mut w| w.write_image_data(&bytes).and_then(|()| w.finish()));
    written.map_or_else(|_| Vec::new(), |()| out)
}

/// What such a picture says; `None` when it is something else.
pub(super) fn read(bytes: &[u8]) -> Option<(Vec<State>, Vec<u8>)> {
    let image = image::load_from_memory(bytes).ok()?;
    let image::DynamicImage::ImageLumaA8(image) = image else {
        return None;
    };
    let (texels, _) = image.as_raw().as_chunks::<2>();
    let state = |t: &[u8; 2]| STATES.get(usize::from(t[0] / APART)).copied();
    let states = texels.iter().map(state).collect::<Option<Vec<_>>>()?;
    Some((states, texels.iter().map(|t| t[1]).collect()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn texels_come_back_as_they_were() {
        let states = [STATES[3], STATES[0], STATES[1], STATES[2]];
        let turns = [0, 7, 255, 128];
        let picture = png(&states, &turns, 2);
        assert_eq!(read(&picture), Some((states.to_vec(), turns.to_vec())));
        assert_eq!(read(b"nothing of the kind"), None);
    }
}
