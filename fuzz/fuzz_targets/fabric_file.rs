//! See `felting_fuzz::fabric_file`.

#![no_main]

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| felting_fuzz::fabric_file(bytes));
