/** Reading what is typed into a box for a number: units, percent of the present value, groups of digits, small sums. The server reads
 * likewise (model/typed.py); both pass tests/samples/typed_numbers.json. */

/** What a unit measures, in words, and what its suffixes are worth in it: suffixes that depend on the frame rate the time of a frame, or
 * so much a frame. */
interface Measure {
  words: string;
  suffixes: Record<string, number | "frame" | "per frame">;
}

let measures: Record<string, Measure> = {};

/** The table of units that the server has: there is no other. It comes with the catalogue, before anything can be typed. */
export function knowUnits(table: Record<string, Measure>): void {
  measures = table;
}

const BARE: Measure = { words: "a bare number", suffixes: {} };

export interface Reading {
  unit: string | null | undefined;
  fps: number;
  /** What is there now: percent are of it, and so is a factor with nothing before it. */
  present?: number;
  /** What percent are of, where that is something else than the present value. */
  base?: number;
  /** Whether it is a part of a whole, from 0 to 1: percent are of that. */
  share?: boolean;
}

export type Typed = { value: number } | { fault: string };

/** Read what was typed, or say in words why it cannot be read. */
export function typed(text: string, reading: Reading): Typed {
  const clean = text.trim().replace(/[−–]/g, "-").replace(/[·⋅]/g, "*");
  if (clean === "") return { fault: "a number is wanted here" };
  try {
    const value = new Reader(clean, reading).whole();
    return Number.isFinite(value) ? { value } : { fault: `“${text.trim()}” is not a finite number` };
  } catch (error) {
    return { fault: (error as Error).message };
  }
}

/** The same, where nothing needs to be said of what cannot be read. */
export function worth(text: string, unit: string, fps: number): number | null {
  const read = typed(text, { unit, fps });
  return "value" in read ? read.value : null;
}

/** A frame of the clock: its number, or a time with a unit. */
export function frameTyped(text: string, fps: number): number | null {
  const frame = worth(text, "frame", fps);
  if (frame !== null) return frame;
  const seconds = worth(text, "s", fps);
  return seconds === null ? null : seconds * fps;
}

/** A number with its digits grouped or not: 1,000 and 1 000 are a thousand, 0,5 and 0.5 a half. Null where groups do not fit. */
export function digits(text: string): number | null {
  const plain = text.replace(/[\s\u202f\u00a0'’]/g, " ").trim();
  const power = /e[+-]?\d+$/i.exec(plain)?.[0] ?? "";
  const body = power ? plain.slice(0, -power.length) : plain;
  const forms: [RegExp, (found: string) => string][] = [
    [/^\d+(\.\d*)?$|^\.\d+$/, (found) => found],
    [/^[1-9]\d{0,2}(,\d{3})+(\.\d+)?$/, (found) => found.replaceAll(",", "")],
    [/^[1-9]\d{0,2}( \d{3})+([.,]\d+)?$/, (found) => found.replaceAll(" ", "").replace(",", ".")],
    [/^[1-9]\d{0,2}(\.\d{3})+,\d+$/, (found) => found.replaceAll(".", "").replace(",", ".")],
    [/^\d*,\d+$/, (found) => found.replace(",", ".")],
  ];
  const form = forms.find(([shape]) => shape.test(body));
  return form ? Number(form[1](body) + power) : null;
}

const TIMES = /^×[\s\u202f\u00a0]*[\d(.]/;
const NOTHING = "percent are of what is there, and that is 0";

class Reader {
  private at = 0;
  private readonly measure: Measure;

  constructor(
    private readonly text: string,
    private readonly reading: Reading,
  ) {
    this.measure = reading.unit ? (measures[reading.unit] ?? BARE) : BARE;
  }

  whole(): number {
    const { present } = this.reading;
    const relative = /^([+-])\s*([\d.,]+)\s*%$/.exec(this.text);
    const of = this.reading.base ?? present;
    // +10 % and -10 % change what is there, where percent are no unit of their own.
    if (relative && !this.percentIsUnit() && of !== undefined) {
      const part = digits(relative[2]!);
      if (of === 0) throw new Error(NOTHING);
      if (part !== null) return (present ?? of) + ((relative[1] === "-" ? -part : part) / 100) * of;
    }
    if (/^[*/×]/.test(this.text)) {
      if (present === undefined) throw new Error("there is no present value to multiply");
      const by = this.text[0] === "/" ? "/" : "*";
      this.at = 1;
      const factor = this.sum();
      this.end();
      return by === "*" ? present * factor : present / factor;
    }
    const value = this.sum();
    this.end();
    return value;
  }

  private percentIsUnit(): boolean {
    return "%" in this.measure.suffixes;
  }

  private end(): void {
    this.space();
    if (this.at < this.text.length) throw new Error(`“${this.text.slice(this.at)}” cannot be read here`);
  }

  private sum(): number {
    let value = this.product();
    for (;;) {
      this.space();
      const sign = this.text[this.at];
      if (sign !== "+" && sign !== "-") return value;
      this.at++;
      const next = this.product();
      value = sign === "+" ? value + next : value - next;
    }
  }

  private product(): number {
    let value = this.factor();
    for (;;) {
      this.space();
      const sign = this.text[this.at];
      if (sign !== "*" && sign !== "/" && !TIMES.test(this.text.slice(this.at))) return value;
      this.at++;
      const next = this.factor();
      value = sign === "/" ? value / next : value * next;
    }
  }

  private factor(): number {
    this.space();
    const sign = this.text[this.at];
    if (sign === "-" || sign === "+") {
      this.at++;
      return sign === "-" ? -this.factor() : this.factor();
    }
    if (sign === "(") {
      this.at++;
      const value = this.sum();
      this.space();
      if (this.text[this.at] !== ")") throw new Error("a bracket is left open");
      this.at++;
      return value * this.suffix();
    }
    const found = /^(\d[\d.,]*(?:[\s\u202f\u00a0'’]\d{3}(?!\d))*(?:[.,]\d+)?|[.,]\d+)(?:e[+-]?\d+)?/i.exec(
      this.text.slice(this.at),
    );
    if (!found) throw new Error(`“${this.text.slice(this.at) || this.text}” is no number`);
    const number = digits(found[0]);
    if (number === null)
      throw new Error(`“${found[0].trim()}” is no number: digits come in groups of three, or not in groups`);
    this.at += found[0].length;
    return number * this.suffix();
  }

  /** What the unit behind a number is worth; 1 where there is none. */
  private suffix(): number {
    this.space();
    const found =
      /^(%|°(?:\/[sf]²?2?)?|1?\/[a-zµ]+²?2?|[a-zµ×°]+(?:\/[a-z]+²?2?)?(?: a (?:second|frame|metre)| second| frame)?)/i.exec(
        this.text.slice(this.at),
      );
    // A sign of multiplication before another number is no unit.
    if (!found || TIMES.test(this.text.slice(this.at))) return 1;
    // A division by a number is none of a unit.
    let word = found[0];
    const known = (name: string) =>
      Object.keys(this.measure.suffixes).find(
        (entry) => entry === name || (entry.toLowerCase() === name.toLowerCase() && entry !== "M"),
      );
    let name = known(word);
    if (!name && word.includes(" ")) {
      word = word.split(" ")[0]!;
      name = known(word);
    }
    if (name) {
      this.at += word.length;
      const worth = this.measure.suffixes[name]!;
      return worth === "frame" ? 1 / this.reading.fps : worth === "per frame" ? this.reading.fps : worth;
    }
    if (word === "%") {
      const of = this.reading.share ? 1 : (this.reading.base ?? this.reading.present);
      if (of === undefined || !Number.isFinite(of)) throw new Error("there is nothing that percent could be of");
      if (of === 0) throw new Error(NOTHING);
      this.at += 1;
      return of / 100;
    }
    const owner = Object.values(measures).find((entry) =>
      Object.keys(entry.suffixes).some((suffix) => suffix.toLowerCase() === word.toLowerCase()),
    );
    throw new Error(
      owner
        ? `“${word}” stands for ${owner.words.replace(/ \(.*/, "")}; this takes ${this.measure.words}`
        : `“${word}” is no unit that is known here; this takes ${this.measure.words}`,
    );
  }

  private space(): void {
    while (/[\s\u202f\u00a0]/.test(this.text[this.at] ?? "x")) this.at++;
  }
}
