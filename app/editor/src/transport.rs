//! Messages from and to the editor, over standard input and output.

use anyhow::{Context as _, Result};
use crossbeam_channel::{Receiver, Sender, unbounded};
use lsp_server::{ErrorCode, Message};
use lsp_types::notification::Notification;
use serde::Serialize;
use serde_json::json;
use std::io::{self, BufRead, Read, Write};
use std::thread::JoinHandle;

/// A longer message is none, in bytes: no editor sends so much, and it must not take the memory.
const LONGEST: usize = 256 << 20;

/// What comes from the editor.
pub enum Incoming {
    Message(Message),
    /// Something that is no message, which was answered already.
    Unreadable,
}

/// Both ways, each with a thread of its own.
pub struct Transport {
    /// Ends when the editor closes its side.
    pub incoming: Receiver<Incoming>,
    outgoing: Sender<Outgoing>,
    writer: JoinHandle<io::Result<()>>,
}

enum Outgoing {
    Message(Message),
    /// A message that is written out already.
    Body(Vec<u8>),
    /// That something was no message (JSON-RPC 2.0, 5: an error without an id).
    ParseError(String),
    End,
}

/// A notification (JSON-RPC 2.0, 4.1).
#[derive(Serialize)]
struct Told<'p, P> {
    jsonrpc: &'static str,
    method: &'static str,
    params: &'p P,
}

impl Transport {
    /// Starts to read and to write.
    pub fn start() -> Self {
        let (outgoing, to_write) = unbounded();
        let (read, incoming) = unbounded();
        let refused = outgoing.clone();
        std::thread::spawn(move || receive(&mut io::stdin().lock(), &read, &refused));
        let writer = std::thread::spawn(move || send_all(&to_write));
        Self {
            incoming,
            outgoing,
            writer,
        }
    }

    /// # Errors
    /// If the editor is gone.
    pub fn send(&self, message: Message) -> Result<()> {
        let sent = self.outgoing.send(Outgoing::Message(message));
        sent.context("the editor is gone")
    }

    /// Tells something. A list of thousands of things is written out as it is, not built as a tree
    /// of values first.
    ///
    /// # Errors
    /// If the editor is gone.
    pub fn tell<N: Notification>(&self, params: &N::Params) -> Result<()> {
        let told = Told {
            jsonrpc: "2.0",
            method: N::METHOD,
            params,
        };
        let sent = self
            .outgoing
            .send(Outgoing::Body(serde_json::to_vec(&told)?));
        sent.context("the editor is gone")
    }

    /// Writes what is still to be written, and ends.
    ///
    /// # Errors
    /// If it can't be written.
    pub fn finish(self) -> Result<()> {
        // The thread that reads can write as well, and it ends when the editor is gone.
        if self.outgoing.send(Outgoing::End).is_ok() {
            let written = self.writer.join();
            written.unwrap_or_else(|crash| std::panic::resume_unwind(crash))?;
        }
        Ok(())
    }
}

fn receive(
    input: &mut impl BufRead,
    read: &Sender<Incoming>,
    refused: &Sender<Outgoing>,
) -> Option<()> {
    loop {
        let body = match next_body(input) {
            Ok(Some(body)) => body,
            Ok(None) => return None,
            // Where the next message starts isn't known any more.
            Err(error) => {
                let _ = refused.send(Outgoing::ParseError(error.to_string()));
                return None;
            }
        };
        let incoming = match serde_json::from_slice(&body) {
            Ok(message) => Incoming::Message(message),
            Err(error) => {
                refused.send(Outgoing::ParseError(error.to_string())).ok()?;
                Incoming::Unreadable
            }
        };
        read.send(incoming).ok()?;
    }
}

/// The next message (LSP 3.17, base protocol); nothing at the end.
fn next_body(input: &mut impl BufRead) -> io::Result<Option<Vec<u8>>> {
    let mut length = None;
    loop {
        let mut line = Vec::new();
        if input.take(4096).read_until(b'\n', &mut line)? == 0 {
            return Ok(None);
        }
        let line = line.trim_ascii_end();
        if line.is_empty() {
            break;
        }
        let line = String::from_utf8_lossy(line);
        let (name, value) = line.split_once(':').ok_or_else(|| invalid("no header"))?;
        if name.eq_ignore_ascii_case("Content-Length") {
            let many: usize = value.trim().parse().map_err(|_| invalid("no length"))?;
            length = Some(many);
        }
    }
    let length = length.ok_or_else(|| invalid("a message without a length"))?;
    if length > LONGEST {
        return Err(invalid("a message of more than 256 MiB"));
    }
    let mut body = Vec::new();
    if input.take(length as u64).read_to_end(&mut body)? < length {
        return Ok(None);
    }
    Ok(Some(body))
}

fn invalid(what: &'static str) -> io::Error {
    io::Error::new(io::ErrorKind::InvalidData, what)
}

#[allow(
    clippy::disallowed_methods,
    reason = "the protocol owns this stream; nothing of it is for a screen"
)]
fn send_all(to_write: &Receiver<Outgoing>) -> io::Result<()> {
    let mut output = io::stdout().lock();
    for message in to_write {
        match message {
            Outgoing::Message(message) => message.write(&mut output)?,
            Outgoing::Body(body) => put_body(&mut output, &body)?,
            Outgoing::ParseError(what) => {
                let error = json!({"code": ErrorCode::ParseError as i32, "message": what});
                let text = json!({"jsonrpc": "2.0", "id": null, "error": error}).to_string();
                put_body(&mut output, text.as_bytes())?;
            }
            Outgoing::End => break,
        }
    }
    Ok(())
}

fn put_body(output: &mut impl Write, body: &[u8]) -> io::Result<()> {
    write!(output, "Content-Length: {}\r\n\r\n", body.len())?;
    output.write_all(body)?;
    output.flush()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_message_ends_where_its_length_says() {
        let mut input: &[u8] = b"Content-Length: 2\r\nX: y\r\n\r\n{}content-length:3\n\nabc";
        assert_eq!(next_body(&mut input).unwrap().unwrap(), b"{}");
        assert_eq!(next_body(&mut input).unwrap().unwrap(), b"abc");
        assert!(next_body(&mut input).unwrap().is_none());
        for broken in [
            "Content-Length: 18446744073709551615\r\n\r\n{}",
            "Content-Length: -1\r\n\r\n{}",
            "X: y\r\n\r\n{}",
            "nothing\r\n\r\n",
        ] {
            assert!(next_body(&mut broken.as_bytes()).is_err(), "{broken}");
        }
    }
}
