//! What a channel of a packed picture holds.

use std::{fmt, str::FromStr};

use serde::{Deserialize, Serialize};
use thiserror::Error;

use super::Kind;

/// The colours of a map of three channels, in order.
const COLOURS: [&str; 3] = ["red", "green", "blue"];
/// Stands before the name of a map that is turned about: white where it is black.
const INVERTED: &str = "inverted ";

/// What a channel of a packed picture holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub enum Channel {
    /// A map, or a colour of one.
    Map {
        /// Which.
        kind: Kind,
        /// Its colour, from 0: red, green or blue. `None` for a map of one channel.
        colour: Option<usize>,
        /// It is white where the map is black.
        inverted: bool,
    },
    /// The same everywhere, of 255.
    Value(u8),
}

/// A text that is no channel.
#[derive(Clone, Debug, Error, PartialEq, Eq)]
#[error(
    "there is no channel \u{201c}{0}\u{201d}; a channel is a map of one channel such as roughness, a colour of one of three such as base_colour red, one of these behind the word inverted, or a number from 0 to 1"
)]
pub struct NoChannel(String);

impl Channel {
    /// A map of one channel.
    pub fn of(kind: Kind) -> Self {
        Self::Map {
            kind,
            colour: None,
            inverted: false,
        }
    }

    /// The map it is made from.
    pub fn kind(self) -> Option<Kind> {
        match self {
            Self::Map { kind, .. } => Some(kind),
            Self::Value(_) => None,
        }
    }

    /// In words.
    pub fn says(self) -> String {
        match self {
            Self::Value(0) => "black".to_owned(),
            Self::Value(255) => "white".to_owned(),
            _ => self.to_string().replace('_', " "),
        }
    }

    /// Those that a form offers.
    pub fn offered() -> Vec<Self> {
        let kinds = || Kind::ALL.into_iter().filter(|k| !k.is_id());
        let single = kinds().filter(|k| k.channels() == 1).map(Self::of);
        let rough = Self::Map {
            kind: Kind::Roughness,
            colour: None,
            inverted: true,
        };
        let three = kinds().filter(|k| k.channels() == 3);
        let colours = three.flat_map(|kind| {
            (0..3).map(move |c| Self::Map {
                kind,
                colour: Some(c),
                inverted: false,
            })
        });
        let values = [Self::Value(0), Self::Value(255)];
        single.chain([rough]).chain(colours).chain(values).collect()
    }
}

impl FromStr for Channel {
    type Err = NoChannel;

    fn from_str(text: &str) -> Result<Self, NoChannel> {
        let no = || NoChannel(text.to_owned());
        let trimmed = text.trim();
        if let Ok(share) = trimmed.parse::<f64>() {
            let fits = (0.0..=1.0).contains(&share);
            return fits
                .then(|| Self::Value((share * 255.0).round() as u8))
                .ok_or_else(no);
        }
        let (inverted, rest) = match trimmed.strip_prefix(INVERTED) {
            Some(rest) => (true, rest.trim()),
            None => (false, trimmed),
        };
        let (word, colour) = match rest.split_once(' ') {
            None => (rest, None),
            Some((word, colour)) => {
                let at = COLOURS.iter().position(|c| *c == colour.trim());
                (word, Some(at.ok_or_else(no)?))
            }
        };
        let kind = Kind::of(word).ok_or_else(no)?;
        let fits = (kind.channels() == 1) == colour.is_none();
        fits.then_some(Self::Map {
            kind,
            colour,
            inverted,
        })
        .ok_or_else(no)
    }
}

impl fmt::Display for Channel {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match *self {
            Self::Value(v) => write!(f, "{}", (f64::from(v) / 255.0 * 1000.0).round() / 1000.0),
            Self::Map {
                kind,
                colour,
                inverted,
            } => {
                let before = if inverted { INVERTED } else { "" };
                write!(f, "{before}{}", kind.word())?;
                match colour {
                    Some(c) => write!(f, " {}", COLOURS[c.min(2)]),
                    None => Ok(()),
                }
            }
        }
    }
}

impl TryFrom<String> for Channel {
    type Error = NoChannel;

    fn try_from(text: String) -> Result<Self, NoChannel> {
        text.parse()
    }
}

impl From<Channel> for String {
    fn from(channel: Channel) -> Self {
        channel.to_string()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("roughness")]
    #[case("inverted roughness")]
    #[case("base_colour green")]
    #[case("inverted normal red")]
    #[case("0.5")]
    #[case("1")]
    fn a_channel_survives_its_text(#[case] text: &str) {
        let channel: Channel = text.parse().unwrap();
        let back: Channel = channel.to_string().parse().unwrap();
        assert_eq!(back, channel);
        assert!(text.len() > 3 && channel.to_string() == text || channel.kind().is_none());
    }

    #[rstest]
    #[case("shine")]
    #[case("base_colour")]
    #[case("roughness red")]
    #[case("base_colour teal")]
    #[case("1.5")]
    fn what_is_no_channel_is_said(#[case] text: &str) {
        let error = text.parse::<Channel>().unwrap_err().to_string();
        assert!(
            error.contains(text) && error.contains("inverted"),
            "{error}"
        );
    }

    #[test]
    fn all_that_is_offered_has_a_text() {
        for channel in Channel::offered() {
            assert_eq!(channel.to_string().parse(), Ok(channel));
        }
    }
}
