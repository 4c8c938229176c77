//! What findings confuse, on invented charges: `cargo run --release -p spare-hour-standins --example confusion`.
//! The table stands in docs/findings.md.

#[path = "../tests/invented/mod.rs"]
mod invented;

fn main() {
    println!("{}", invented::confusion(1_000).markdown());
}
