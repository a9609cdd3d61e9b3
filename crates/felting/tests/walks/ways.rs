//! The ways of single packets.
