use cognomen_core::*;
fn main(){ let t=std::time::Instant::now(); let top=std::env::args().nth(1).unwrap();
 let src=FolderSource::new(std::path::Path::new(&top));
 let w=World::load_watched(&src,&|s| eprint!("{:?} {s}; ", t.elapsed())).unwrap();
 eprintln!("{:?} loaded", t.elapsed());
 let f=check_watched(&w,&|c,d| if d.as_millis()>3 {eprintln!("   {c} {d:?}")});
 eprintln!("{:?} checked {}", t.elapsed(), f.len());
 let s=std::fs::read_to_string("/proc/self/status").unwrap(); eprintln!("{}", s.lines().find(|l|l.starts_with("VmHWM")).unwrap()); std::mem::forget(w);}
