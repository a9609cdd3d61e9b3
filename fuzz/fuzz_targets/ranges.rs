//! See `felting_fuzz::ranges`.

#![no_main]

libfuzzer_sys::fuzz_target!(|text: &str| felting_fuzz::ranges(text));
