//! How texels come out.

/// How a texel came out.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
#[repr(u8)]
pub enum State {
    /// No island covers it.
    #[default]
    Bare,
    /// Its rays met nothing.
    Nothing,
    /// Its rays met faces from behind only.
    Behind,
    /// It shows the source.
    Baked,
}

impl State {
    /// True for what an island covers and no ray found.
    pub fn is_miss(self) -> bool {
        matches!(self, Self::Nothing | Self::Behind)
    }

    /// What tells more.
    pub(crate) fn or(self, other: Self) -> Self {
        self.max(other)
    }
}

/// How texels came out, altogether or for one part.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Counts {
    /// Texels that islands cover.
    pub covered: usize,
    /// Of these, whose rays met nothing.
    pub nothing: usize,
    /// Of these, whose rays met faces from behind only.
    pub behind: usize,
}

impl Counts {
    /// Texels that show nothing.
    pub fn misses(&self) -> usize {
        self.nothing + self.behind
    }

    pub(crate) fn add(&mut self, state: State) {
        self.covered += usize::from(state != State::Bare);
        self.nothing += usize::from(state == State::Nothing);
        self.behind += usize::from(state == State::Behind);
    }
}
