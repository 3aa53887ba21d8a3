#![no_main]
libfuzzer_sys::fuzz_target!(|data: &[u8]| cognomen_fuzz::try_text(&cognomen_core::Format::Po.into(), data));
