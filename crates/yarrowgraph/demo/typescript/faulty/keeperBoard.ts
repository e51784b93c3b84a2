import { Gauge, GaugeEvent } from './gauge';

/** The slate on which the keeper of one shift notes what the water does. */
export class KeeperBoard {
  private readonly lines: string[] = [];

  constructor(private readonly gauge: Gauge, private readonly name: string) {
    gauge.on(GaugeEvent.Rose, this.note.bind(this));
  }

  private note(cm: number): void {
    this.lines.push(`${this.name} at ${cm} cm`);
  }

  /** The shift is over. */
  close(): string[] {
    this.gauge.off(GaugeEvent.Rose, this.note.bind(this));
    return this.lines;
  }
}

/** Counts boats while the water moves; made anew for every convoy. */
export class ConvoyWatch {
  private moves = 0;

  constructor(private readonly gauge: Gauge) {
    gauge.on(GaugeEvent.Rose, this.count);
  }

  private readonly count = (): void => {
    this.moves++;
  };

  dispose(): void {
    console.log(`${this.moves} moves`);
  }
}
