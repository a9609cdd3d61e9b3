//! See `felting_fuzz::renderers`.

#![no_main]

libfuzzer_sys::fuzz_target!(|texts: &str| felting_fuzz::renderers(texts));
