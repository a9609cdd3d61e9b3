//! Laws that hold for every walk.
