//! Defaults, as the list of statements writes them.

/// A type whose defaults are written as literals.
pub(crate) trait Literal<L> {
    /// The value of a literal, which is within the bounds of the type: the schema shows all of them.
    fn of(literal: L) -> Self;
}
