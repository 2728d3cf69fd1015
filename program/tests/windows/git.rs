//! A `git.exe` for tests under wine, where no Unix program can be started: it hands its arguments,
//! folder, environment and streams to the real git, over the loopback address (sessions.py).

use std::io::{Read, Write};
use std::net::TcpStream;

fn main() {
    let port = std::env::var("GIT_BRIDGE").expect("GIT_BRIDGE names a port");
    let mut to = TcpStream::connect(format!("127.0.0.1:{port}")).expect("nobody answers");
    let mut from = to.try_clone().expect("a second handle");
    let folder = std::env::current_dir().expect("a folder");
    let args: Vec<String> = std::env::args().skip(1).collect();
    let environment = std::env::vars().filter(|(name, _)| name.starts_with("GIT_"));
    let environment = environment.map(|(name, value)| format!("{name}={value}"));
    let environment: Vec<String> = environment.collect();
    for words in [&[folder.to_string_lossy().into_owned()], &args[..], &environment[..]] {
        send(&mut to, &(words.len() as u32).to_be_bytes());
        for word in words {
            chunk(&mut to, word.as_bytes());
        }
    }
    std::thread::spawn(move || {
        let mut buffer = [0; 1 << 16];
        while let Ok(length @ 1..) = std::io::stdin().read(&mut buffer) {
            chunk(&mut to, &buffer[..length]);
        }
        chunk(&mut to, b"");
    });
    loop {
        let mut head = [0; 5];
        from.read_exact(&mut head).expect("git's answer");
        let length = u32::from_be_bytes([head[1], head[2], head[3], head[4]]);
        let mut data = vec![0; length as usize];
        from.read_exact(&mut data).expect("git's answer");
        match head[0] {
            1 => send(&mut std::io::stdout(), &data),
            2 => send(&mut std::io::stderr(), &data),
            code => std::process::exit(i32::from(code) - 100),
        }
    }
}

fn chunk(to: &mut impl Write, data: &[u8]) {
    send(to, &(data.len() as u32).to_be_bytes());
    send(to, data);
}

fn send(to: &mut impl Write, data: &[u8]) {
    // Whoever doesn't listen any more has heard enough.
    let _ = to.write_all(data).and_then(|()| to.flush());
}
