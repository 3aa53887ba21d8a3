fn main(){ let t=std::time::Instant::now(); let top=std::env::args().nth(1).unwrap();
 let src=cognomen_core::FolderSource::new(std::path::Path::new(&top));
 let c=cognomen_core::Catalog::load_watched(&src,&|s| eprintln!("{:?} {s}", t.elapsed())).unwrap();
 eprintln!("{:?} done {} defs", t.elapsed(), c.definitions().count());
 let s=std::fs::read_to_string("/proc/self/status").unwrap(); eprintln!("{}", s.lines().find(|l|l.starts_with("VmHWM")).unwrap()); std::mem::forget(c);}
