//! Where recordings are read from.

use std::borrow::Cow;
use std::fs::File;
use std::io::{self, BufRead, BufReader, Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};

/// A recording that can be read more than once: once to see what it holds, and again for what differs.
#[derive(Clone, Debug)]
pub struct Source<'b> {
    name: String,
    place: Place<'b>,
}

#[derive(Clone, Debug)]
enum Place<'b> {
    File(PathBuf),
    Bytes(Cow<'b, [u8]>),
}

impl<'b> Source<'b> {
    /// A plain file, and what it is called in messages.
    ///
    /// # Errors
    ///
    /// When it cannot be opened.
    pub fn file(name: &str, path: &Path) -> io::Result<Self> {
        // what cannot be opened is said before anything else is done
        File::open(path)?;
        Ok(Self { name: name.to_owned(), place: Place::File(path.to_owned()) })
    }

    /// Bytes that are at hand.
    pub fn bytes(name: &str, bytes: impl Into<Cow<'b, [u8]>>) -> Self {
        Self { name: name.to_owned(), place: Place::Bytes(bytes.into()) }
    }

    /// What it is called in messages.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// Opens it at its beginning. Compression is recognised by the first bytes.
    pub(crate) fn open(&self) -> io::Result<Box<dyn BufRead + Send + '_>> {
        match &self.place {
            Place::File(path) => plain(BufReader::with_capacity(1 << 17, File::open(path)?)),
            Place::Bytes(bytes) => plain(&bytes[..]),
        }
    }
}

/// A stretch of a recording as it is uncompressed, in bytes from its beginning.
pub(crate) type Stretch = (u64, u64);

impl Source<'_> {
    /// Calls a function with each line that begins in one of some stretches, which are in order and do not overlap.
    pub(crate) fn lines_in(&self, stretches: &[Stretch], visit: &mut dyn FnMut(&[u8])) -> io::Result<()> {
        // what is not compressed is read only where it matters
        if let Place::File(path) = &self.place {
            let mut file = BufReader::with_capacity(1 << 16, File::open(path)?);
            if !is_compressed(file.fill_buf()?) {
                for (start, end) in stretches {
                    file.seek(SeekFrom::Start(*start))?;
                    lines(&mut file, end - start, visit)?;
                }
                return Ok(());
            }
        }
        let mut source = self.open()?;
        let mut at = 0;
        for (start, end) in stretches {
            at += io::copy(&mut (&mut source).take(start.saturating_sub(at)), &mut io::sink())?;
            at += lines(&mut source, end.saturating_sub(at), visit)?;
        }
        Ok(())
    }
}

/// Visits the lines that begin within so many bytes; how many bytes they have.
fn lines(source: &mut dyn BufRead, length: u64, visit: &mut dyn FnMut(&[u8])) -> io::Result<u64> {
    let mut line = Vec::new();
    let mut read = 0;
    while read < length {
        line.clear();
        match source.read_until(b'\n', &mut line)? {
            0 => break,
            count => read += count as u64,
        }
        visit(&line);
    }
    Ok(read)
}

fn is_compressed(start: &[u8]) -> bool {
    matches!(start, [0x1F, 0x8B, ..] | [0x28, 0xB5, 0x2F, 0xFD, ..])
}

fn plain<'r>(mut source: impl BufRead + Send + 'r) -> io::Result<Box<dyn BufRead + Send + 'r>> {
    Ok(match source.fill_buf()? {
        [0x1F, 0x8B, ..] => Box::new(BufReader::with_capacity(1 << 17, flate2::bufread::MultiGzDecoder::new(source))),
        [0x28, 0xB5, 0x2F, 0xFD, ..] => Box::new(BufReader::with_capacity(1 << 17, Frames { source: Some(source), decoder: None })),
        _ => Box::new(source),
    })
}

/// Frames of Zstandard (RFC 8878), one after the other.
struct Frames<R: BufRead> {
    source: Option<R>,
    decoder: Option<ruzstd::decoding::StreamingDecoder<R, ruzstd::decoding::FrameDecoder>>,
}

impl<R: BufRead> Read for Frames<R> {
    fn read(&mut self, out: &mut [u8]) -> io::Result<usize> {
        loop {
            if let Some(decoder) = &mut self.decoder {
                let count = decoder.read(out).map_err(cut_short)?;
                if count > 0 || out.is_empty() {
                    return Ok(count);
                }
                self.source = self.decoder.take().map(|d| d.into_inner());
            }
            let Some(mut source) = self.source.take() else { return Ok(0) };
            if source.fill_buf()?.is_empty() {
                return Ok(0);
            }
            let decoder = ruzstd::decoding::StreamingDecoder::new(source).map_err(|e| cut_short(io::Error::other(e)))?;
            self.decoder = Some(decoder);
        }
    }
}

/// An error of a decoder, as one of a stream that ends too early if that is at the bottom of it.
fn cut_short(error: io::Error) -> io::Error {
    let mut cause: Option<&(dyn std::error::Error + 'static)> = error.get_ref().map(|e| e as &(dyn std::error::Error + 'static));
    while let Some(current) = cause {
        if current.downcast_ref::<io::Error>().is_some_and(|e| e.kind() == io::ErrorKind::UnexpectedEof) {
            return io::Error::new(io::ErrorKind::UnexpectedEof, error.to_string());
        }
        cause = current.source();
    }
    error
}
