import { EventEmitter } from 'events';

export enum GaugeEvent {
  Rose = 'rose',
  Dry = 'dry',
}

/** The staff that the water level of a chamber is read from. */
export class Gauge extends EventEmitter {
  /** One helper may lend a hand when the crest is passed. */
  onCrest?: (cm: number) => void;

  private cm = 0;

  get level(): number {
    return this.cm;
  }

  read(cm: number): void {
    if (cm === this.cm) return;
    this.cm = cm;
    this.emit(GaugeEvent.Rose, cm);
    if (cm === 0) this.emit(GaugeEvent.Dry);
    if (cm > 300) this.onCrest!(cm);
  }
}

/** The gauges of the staircase, read for as long as the program runs. */
export const lower = new Gauge();
export const upper = new Gauge();
