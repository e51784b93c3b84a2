//// yarrowgraph.toml
[[keep]]
order = ["Ledger.onDip", "Window.onDip"]

[[keep]]
through = "Tester.check"
to = "Vat.pour"

[[keep]]
apart = ["Window", "Recipe"]
//// src/vat.ts
export type Dip = (colour: string, minutes: number) => void;

export class Vat {
  private dips: Dip[] = [];
  private litres = 40;

  onDip(d: Dip): () => void {
    this.dips.push(d);
    return () => { this.dips = this.dips.filter(x => x !== d); };
  }

  dip(colour: string, minutes: number): void {
    for (const d of this.dips) d(colour, minutes);
  }

  pour(litres: number): void {
    this.litres += litres;
  }

  get left(): number { return this.litres; }
}

export class Tester {
  constructor(private readonly vat: Vat) {}

  check(litres: number): boolean {
    if (litres > 10) return false;
    this.vat.pour(litres);
    return true;
  }
}
//// src/shop.ts
import { Dip, Tester, Vat } from './vat';

export class Recipe {
  constructor(readonly secret: string) {}
}

export class Ledger {
  private rows: string[] = [];
  readonly onDip: Dip = (colour, minutes) => { this.rows.push(`${colour} ${minutes}`); };
}

export class Window {
  private text = '';
  private recipe = new Recipe('madder'); //! broken-keep

  readonly onDip: Dip = colour => { this.text = `${colour} ${this.recipe.secret.length}`; };
}

export class Dyer {
  constructor(private readonly vat: Vat, private readonly tester: Tester) {}

  fill(): void {
    this.tester.check(4);
  }

  rush(): void {
    this.vat.pour(30); //! broken-keep
  }
}

const vat = new Vat();
const win = new Window();
const ledger = new Ledger();
vat.onDip(win.onDip); //! broken-keep
vat.onDip(ledger.onDip);
const dyer = new Dyer(vat, new Tester(vat));
dyer.fill();
dyer.rush();
vat.dip('red', 20);
console.log(vat.left);
