//! `convert`: a recording as another open format, or another open format as a recording.

use yarrowgraph_replay::{Format, export};

use super::replay::source;
use crate::args::{ConvertArgs, ConvertFormat};
use crate::failure::{Failure, Status};
use crate::ui::{Output, Ui};

pub(super) fn run(args: &ConvertArgs, ui: &Ui) -> Result<Status, Failure> {
    let mut out = Output::open(args.output.as_deref())?;
    let source = source(&args.recording, ui)?;
    let format = match args.to {
        ConvertFormat::Otlp => Some(Format::Otlp),
        ConvertFormat::Cloudevents => Some(Format::CloudEvents),
        ConvertFormat::Xes => Some(Format::Xes),
        ConvertFormat::Recording => None,
    };
    match format {
        Some(format) => {
            let lost = export(source.recording(), format, &mut out).map_err(Failure::new)?;
            if !lost.is_empty() {
                ui.remark(&format!("lost on the way: {}", lost.join(", ")));
            }
        }
        None => source.copy(&mut out)?,
    }
    out.finish()?;
    Ok(Status::Fine)
}
