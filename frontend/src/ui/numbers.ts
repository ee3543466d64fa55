/** Writing numbers with units; `typed` reads them. */

export function plain(value: number): string {
  if (!Number.isFinite(value)) return "–";
  if (value !== 0 && (Math.abs(value) >= 1e6 || Math.abs(value) < 1e-4)) return value.toExponential(2);
  const digits = Math.abs(value) >= 100 ? 1 : Math.abs(value) >= 10 ? 2 : 4;
  return String(Number(value.toFixed(digits))).replace("-", "−");
}

/** A whole number; digits are grouped from 10 000 on, as ISO 80000 has it. */
export function count(value: number): string {
  const digits = Math.round(value).toString();
  return digits.length < 5 ? digits : digits.replace(/\B(?=(\d{3})+$)/g, "\u202f");
}

/** So many of something: 1 particle, 2 particles. */
export const counted = (value: number, what: string): string =>
  `${count(value)} ${what}${Math.round(value) === 1 ? "" : "s"}`;

/** A measured number, short: three significant digits. */
export function short(value: number): string {
  if (!Number.isFinite(value)) return "–";
  const text =
    Math.abs(value) >= 1000 || value === 0 ? String(Math.round(value)) : String(Number(value.toPrecision(3)));
  return (Math.abs(value) < 1e-4 ? "0" : text).replace("-", "−");
}

/** What makes a number an ordinal: 2nd, 13th. */
const ending = (value: number): string =>
  Math.floor(value / 10) === 1 ? "th" : (["th", "st", "nd", "rd"][value % 10] ?? "th");

/** Whether times are read in frames: all are whole frames, and one of them at least is no round number of seconds. */
export function inFrames(times: readonly number[], fps: number): boolean {
  const whole = times.every((time) => time > 0 && Math.abs(time * fps - Math.round(time * fps)) < 1e-4);
  return whole && times.some((time) => Math.abs(time - Number(time.toFixed(2))) > 1e-6);
}

/** A number with its unit as read in a sentence. With a number of frames a second, times that are set by the frame are told so. */
export function withUnit(
  value: number,
  unit: string | null | undefined,
  words: Record<string, string>,
  fps?: number,
): string {
  if (unit === "s" && fps && inFrames([value], fps)) return frames(value * fps);
  if (unit === "count") return Number.isInteger(value) ? count(value) : plain(value);
  if (unit === "share") return `${plain(value * 100)} %`;
  if (unit === "percent") return `${plain(value)} %`;
  if (unit === "s" && value >= 1e8) return "ever";
  if (unit === "deg") return `${plain(value)}°`;
  const word = unit ? (words[unit] ?? unit) : "";
  if (unit === "frame") return value === 1 ? "frame" : `${count(value)}${ending(value)} frame`;
  if (unit === "steps") return `${count(value)} ${value === 1 ? "step" : "steps"}`;
  return word ? `${plain(value)} ${word}` : plain(value);
}

const frames = (value: number): string => `${plain(value)} ${plain(value) === "1" ? "frame" : "frames"}`;

/** A time, long ones by hours, minutes and seconds. */
export function lasting(seconds: number): string {
  if (seconds < 60) return `${short(seconds)} s`;
  const whole = Math.round(seconds);
  const [hours, minutes, rest] = [Math.floor(whole / 3600), Math.floor(whole / 60) % 60, whole % 60];
  return [hours && `${hours} h`, minutes && `${minutes} min`, rest && `${rest} s`].filter(Boolean).join(" ");
}

/** The other way to say a duration: frames beside seconds. */
export function otherWay(
  value: number,
  unit: string | null | undefined,
  fps: number,
  perFrame?: string | null,
): string | null {
  if (unit === "s" && perFrame === "halving" && value > 0) {
    const lost = (1 - 0.5 ** (1 / (value * fps))) * 100;
    return `${frames(value * fps)} · ${lost >= 10 ? lost.toFixed(0) : lost.toPrecision(2)} % a frame at ${plain(fps)} a second`;
  }
  if (perFrame === "points" && value > 0) return `one a frame: ${lasting(value / fps)} at ${plain(fps)} a second`;
  if (unit === "s" && value >= 1e8) return null;
  if (unit === "s") return `${frames(value * fps)} at ${plain(fps)} a second`;
  if (unit === "1/s") return `${plain(value / fps)} a frame at ${plain(fps)} a second`;
  return null;
}
