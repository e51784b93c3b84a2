//! Fixtures of this front end.

use yarrowgraph_ir::{Language, dump};

fn read(path: &str, text: &str) -> yarrowgraph_ir::Unit {
    crate::read(Language::TypeScript, path, text.as_bytes()).expect("readable")
}

#[test]
fn declarations() {
    insta::assert_snapshot!(dump(&read(
        "dome.ts",
        r#"
import { EventEmitter as Emitter } from "node:events";
import type { Sky } from "./sky";
import * as weather from "./weather";
export { Star } from "./star";
export default class Dome<T = number> extends Emitter implements Turning {
  static readonly first = new Dome();
  readonly onTurn = this.turned.event;
  #angle = 0;
  private lamp?: Lamp;
  declare ghost: string;
  constructor(private readonly sky: Sky, protected speed = 2) { super(); }
  get angle(): number { return this.#angle; }
  set angle(value) { this.#angle = value; }
  @HostListener("window:resize", ["$event"]) turn(by: number, ...rest: T[]): void {}
  abstract rest(): void;
  static { Dome.first.turn(1); }
}
export interface Turning { turn(by: number): void; onStop?: () => void; }
export type Slot<T> = (value: T) => void;
export enum Phase { New, Full = "full" }
export const later = (f: () => void): void => f(), limit = 3;
export function open({ width, height = 2 }: Size, [first]: number[]): void {}
namespace Inner { export const x = 1; }
declare module "other" { export function f(): void; }
"#
    )));
}

#[test]
fn bodies() {
    insta::assert_snapshot!(dump(&read(
        "night.ts",
        r#"
async function* night(dome: Dome, table: Map<string, () => void>) {
  dome.on("clear", this.open.bind(this));
  dome.addEventListener("turn", e => log(e), { once: true, signal });
  const { angle, ...others } = dome;
  const [a, , b = 2] = pair;
  table.get("x")?.();
  handlers[name] = function () { return this.name; };
  for (const [key, run] of table) { if (!run) continue; run(); }
  for await (const star of stars) yield star;
  for (const k in table) delete table[k];
  try { await dome.turn!(1); } catch { throw new Error(`no ${angle}`); } finally { done(); }
  switch (dome.phase) { case Phase.New: break; default: return () => dome.off("clear", open); }
  dome.count ??= others.length > 2 ? 1 : typeof b === "string" ? 2 : -1;
  return { open, close() { dome.close(); }, get angle() { return angle; }, ["a" + 1]: <number>a, ...others };
}
"#
    )));
}

#[test]
fn markup_hands_functions_on() {
    insta::assert_snapshot!(dump(&read(
        "panel.tsx",
        r#"
export function Panel({ gauge }: Props) {
  useEffect(() => { gauge.on("rise", show); return () => gauge.off("rise", show); }, [gauge]);
  return <div onClick={() => gauge.read()} {...rest}><Dial value={gauge.level} /></div>;
}
"#
    )));
}

#[test]
fn a_class_that_other_files_import_is_exported() {
    let unit = read("a.ts", "class A {}\nexport { A as B };\nexport default A;");
    let exports: Vec<_> = unit.exports.iter().map(|(own, outer)| (unit.text(*own), unit.text(*outer))).collect();
    assert!(exports.contains(&("A", "B")) || exports.contains(&("B", "A")), "{exports:?}");
}
