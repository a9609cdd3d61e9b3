//! See `felting_fuzz::asked`.

#![no_main]

libfuzzer_sys::fuzz_target!(|text: &str| felting_fuzz::asked(text));
