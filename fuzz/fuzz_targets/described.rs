#![no_main]
libfuzzer_sys::fuzz_target!(|data: &[u8]| {
    let Some((first, rest)) = data.split_first() else { return };
    cognomen_fuzz::try_text(&cognomen_fuzz::described(first % 2 == 0), rest);
});
