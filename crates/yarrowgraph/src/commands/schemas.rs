//! `schemas`: writes the JSON Schemas; the files in `schemas/` are made by it.

use yarrowgraph_model::schema;
use yarrowgraph_replay::{Following, Replay, Roster};

use crate::args::SchemasArgs;
use crate::config::Document;
use crate::failure::{Failure, Status};

pub(super) fn run(args: &SchemasArgs) -> Result<Status, Failure> {
    let replay = ("replay.schema.json", schema::of::<Replay>("Result of a replay"));
    let roster = ("roster.schema.json", schema::of::<Roster>("Who is attached in a run"));
    let following = ("following.schema.json", schema::of::<Following>("What a run did from a record on"));
    let configuration = ("configuration.schema.json", schema::of::<Document>("Configuration of a tree (yarrowgraph.toml)"));
    for (name, value) in schema::all().into_iter().chain([replay, roster, following, configuration]) {
        let path = args.dir.join(name);
        let text = serde_json::to_string_pretty(&value).map_err(Failure::new)?;
        std::fs::write(&path, text + "\n").map_err(|e| Failure::new(format!("{}: cannot be written: {e}", path.display())))?;
    }
    Ok(Status::Fine)
}
