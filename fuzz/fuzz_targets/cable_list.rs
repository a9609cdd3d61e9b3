//! See `felting_fuzz::cable_list`.

#![no_main]

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| felting_fuzz::cable_list(bytes));
