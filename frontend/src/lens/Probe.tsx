/** The probe: one particle, its values now, whether each rule holds for it and why, and its life story. */

import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { answered, api } from "@/api/client";
import type { Effect, Node } from "@/state/document";
import { ruleName } from "@/score/numbering";
import { Spark } from "@/score/Spark";
import { Button } from "@/ui/controls";
import { count, short } from "@/ui/numbers";
import { Swatch } from "@/score/Chip";
import { useRun, useSession, useStudio } from "@/state/use";
import { Around } from "./Around";
import { Descent } from "./Descent";

interface Reading {
  label: string;
  unit: string;
  type: string;
  value: number | number[];
}
interface TestResult {
  depth: number;
  kind: string;
  title: string;
  holds: boolean;
  unit?: string;
  value?: number;
  comparison?: string;
  threshold?: number;
  low?: number;
  high?: number;
}
interface Reason {
  rule: string;
  concerned: boolean;
  switched_off: boolean;
  holds: boolean | null;
  /** Whether it held at its turn in the step, as it was recorded. */
  held: boolean;
  /** When it last began to hold for the particle, or acted on it, and when that ended. */
  last?: { frame: number; ended: number | null } | null;
  tests: TestResult[];
}
interface Happening {
  frame: number;
  time: number;
  what: string;
  /** Ids of the rule, source or shape that it is about, and of groups. */
  item: string | null;
  previous: string | null;
  present: string | null;
  value: number;
  parent: number;
  /** Of a contact: where it was, and the direction off the surface. */
  place?: [number, number, number];
  normal?: [number, number, number];
}
interface Found {
  alive: boolean;
  story: Happening[];
  now: {
    id: number;
    parent: number;
    group: string;
    touching: string | null;
    contacts: number;
    impact_speed: number;
    values: Record<string, Reading>;
    reasons: Reason[];
  } | null;
}

export function Probe() {
  const particle = useStudio((state) => state.particle);
  const trial = useRun((state) => state.trial);
  const frame = useStudio((state) => state.frame);
  const effect = useStudio((state) => state.document);
  const at = Math.min(frame, Math.max(0, (trial?.computed ?? 1) - 1));
  const found = useQuery({
    queryKey: ["probe", trial?.key, trial?.id, at, particle],
    queryFn: () =>
      answered(
        api.GET("/api/trials/{trial_id}/frames/{number}/particles/{particle}", {
          params: { path: { trial_id: trial!.id, number: at, particle: particle! } },
        }),
      ) as unknown as Promise<Found>,
    enabled: particle !== null && !!trial && trial.computed > 0,
    placeholderData: keepPreviousData,
    retry: false,
  });
  if (particle === null) return <Nobody />;
  if (found.data && !found.data.alive && found.data.story.length === 0)
    return (
      <Empty
        title={`Particle ${count(particle)}`}
        text="There is no such particle in this run: an edit may have made it another one. Click a particle on the stage."
      />
    );
  if (found.isError)
    return (
      <Empty
        title={`Particle ${count(particle)}`}
        text="There is no such particle in this run: an edit may have made it another one. Click a particle on the stage."
      />
    );
  if (!found.data || !effect) return <Empty title={`Particle ${count(particle)}`} text="Reading…" />;
  return <One found={found.data} particle={particle} effect={effect} frame={at} />;
}

function Empty({ title, text }: { title: string; text: string }) {
  return (
    <div className="p-4">
      <h3 className="mb-1 font-medium">{title}</h3>
      <p className="text-soft">{text}</p>
    </div>
  );
}

const PICK =
  "Click a particle on the stage to see its values, why each rule does or does not hold for it, and its life story. " +
  "Shift and drag, and many are chosen in a box.";

/** With nobody picked: what to do. */
function Nobody() {
  return <Empty title="Nobody is picked" text={PICK} />;
}

const WORDS: Record<string, string> = { above: ">", at_least: "≥", below: "<", at_most: "≤", equal: "=" };
const UNITS: Record<string, string> = { "m/s": "m/s", deg: "°", "": "" };
const SHOWN = ["age", "lifetime", "speed", "radius", "opacity", "mass", "position", "velocity"];

function One({ found, particle, effect, frame }: { found: Found; particle: number; effect: Effect; frame: number }) {
  const session = useSession();
  const trial = useRun((state) => state.trial);
  const track = useQuery({
    queryKey: ["track", trial?.key, trial?.computed, particle],
    queryFn: () =>
      answered(
        api.GET("/api/trials/{trial_id}/particles/{particle}/track", {
          params: { path: { trial_id: trial!.id, particle }, query: { columns: "speed,radius,age,height" } },
        }),
      ),
    enabled: !!trial && trial.state === "done",
    placeholderData: keepPreviousData,
  });
  const { now, story } = found;
  const group = effect.groups.find((entry) => entry.id === now?.group);
  return (
    <div className="space-y-4 p-4" data-testid="probe">
      <header className="flex items-baseline justify-between">
        <div>
          <h3 className="font-medium">
            Particle <span className="tabular">{count(particle)}</span>
          </h3>
          <p className="text-soft">
            {group ? (
              <>
                <span className="mr-1.5 inline-block size-2 rounded-full" style={{ background: String(group.color) }} />
                {String(group.label)}
                {now?.touching ? `, touching ${now.touching}` : ""}
              </>
            ) : (
              `not alive at frame ${frame}`
            )}
          </p>
        </div>
        <Button className="!px-2 !py-0.5 text-xs" onClick={() => session.set({ particle: null })}>
          Let go
        </Button>
      </header>
      {now && (
        <section aria-label="Values">
          <table className="w-full">
            <tbody>
              {[
                ...SHOWN,
                ...Object.keys(now.values).filter((name) => effect.attributes.some((item) => item.id === name)),
              ].map((name) => {
                const reading = now.values[name];
                return reading ? (
                  <tr key={name} className="border-b border-line/50">
                    <td className="py-0.5 text-soft">{reading.label}</td>
                    <td className="w-14 text-soft">
                      {track.data?.[name] && <Spark values={track.data[name] as (number | null)[]} />}
                    </td>
                    <td className="tabular py-0.5 text-right text-[12px]">{told(reading)}</td>
                  </tr>
                ) : null;
              })}
              <tr>
                <td className="py-0.5 text-soft">contacts</td>
                <td />
                <td className="tabular text-right text-[12px]">
                  {now.contacts ? `${now.contacts}, last ${short(now.impact_speed)} m/s` : "none"}
                </td>
              </tr>
            </tbody>
          </table>
        </section>
      )}
      <Descent particle={particle} frame={frame} />
      {now && <Around particle={particle} />}
      {now && <Why reasons={now.reasons} effect={effect} />}
      <Story story={story} effect={effect} frame={frame} />
    </div>
  );
}

function told(reading: Reading): React.ReactNode {
  if (reading.type === "flag") return Number(reading.value) ? "yes" : "no";
  if (reading.type === "color" && Array.isArray(reading.value)) return <Swatch color={reading.value} />;
  if (Array.isArray(reading.value))
    return `${reading.value.map((entry) => short(Number(entry.toFixed(2)))).join("  ")} ${UNITS[reading.unit] ?? reading.unit}`;
  return `${short(reading.value)} ${UNITS[reading.unit] ?? reading.unit}`;
}

const INSTANT = ["contact", "birth", "death"];

/** Every rule that concerns the particle, with the actual numbers. */
function Why({ reasons, effect }: { reasons: Reason[]; effect: Effect }) {
  const catalogue = useStudio((state) => state.catalogue);
  return (
    <section aria-label="Why">
      <h4 className="mb-1 text-xs text-soft">Why: each rule with its actual numbers at this frame</h4>
      <ul className="space-y-1">
        {reasons.map((reason) => {
          const index = effect.rules.findIndex((entry) => entry.id === reason.rule);
          const rule = effect.rules[index];
          const name = ruleName(effect.rules, index, catalogue);
          if (!reason.concerned) {
            return (
              <li key={reason.rule} className="flex justify-between text-soft/80">
                <span>{name}</span>
                <span className="text-xs">not its group</span>
              </li>
            );
          }
          return (
            <li key={reason.rule}>
              <div className="flex justify-between">
                <span>{name}</span>
                <span className={reason.holds && !reason.switched_off ? "text-ice" : "text-soft"}>
                  {reason.switched_off ? "switched off for it" : reason.holds ? "holds ✓" : "does not hold ✗"}
                </span>
              </div>
              {reason.holds !== null &&
                reason.holds !== reason.held &&
                !reason.switched_off &&
                !INSTANT.includes(String(rule?.trigger)) && (
                  <div className="pl-2.5 text-[12px] text-soft">
                    {reason.held
                      ? "held at its turn in the step; the values are those after it"
                      : "did not hold at its turn in the step; the values are those after it"}
                  </div>
                )}
              <Last reason={reason} trigger={String(rule?.trigger)} conditional={!!rule?.condition} />
              {reason.tests.map((test, index) => (
                <div
                  key={index}
                  className="tabular flex justify-between text-[12px] text-soft"
                  style={{ paddingLeft: 10 + test.depth * 10 }}
                >
                  <span>
                    {test.title}
                    {test.comparison === "between" &&
                      ` ${short(test.low!)} ≤ ${short(test.value!)} ≤ ${short(test.high!)}`}
                    {test.comparison &&
                      test.comparison !== "between" &&
                      ` ${short(test.value!)} ${WORDS[test.comparison]} ${short(test.threshold!)}`}{" "}
                    {test.unit}
                  </span>
                  <span>{test.holds ? "✓" : "✗"}</span>
                </div>
              ))}
            </li>
          );
        })}
      </ul>
    </section>
  );
}

/** When a rule last fired for the particle; click to go there. */
function Last({ reason, trigger, conditional }: { reason: Reason; trigger: string; conditional: boolean }) {
  const session = useSession();
  const { last } = reason;
  if (!last)
    return conditional && trigger !== "death" ? <div className="pl-2.5 text-[12px] text-soft">never so far</div> : null;
  const instant = INSTANT.includes(trigger);
  return (
    <div className="pl-2.5 text-[12px] text-soft">
      {instant ? "last acted at " : last.ended === null ? "since " : "last from "}
      <button type="button" className="tabular text-brass hover:underline" onClick={() => session.seek(last.frame)}>
        frame {last.frame}
      </button>
      {last.ended !== null && ` until frame ${last.ended}`}
    </div>
  );
}

/** Degrees of a surface whose normal that is: 0 level ground, 90 a wall, 180 a ceiling. */
const steepness = (normal: readonly number[]): number =>
  (Math.acos(Math.min(1, Math.max(-1, normal[1]!))) * 180) / Math.PI;

function Story({ story, effect, frame }: { story: Happening[]; effect: Effect; frame: number }) {
  const catalogue = useStudio((state) => state.catalogue);
  const session = useSession();
  const labelOf = (items: readonly Node[], id: string | null, otherwise: string) =>
    String(items.find((entry) => entry.id === id)?.label ?? otherwise);
  const group = (id: string | null) => labelOf(effect.groups, id, "?");
  const rule = (id: string | null) => {
    const index = effect.rules.findIndex((entry) => entry.id === id);
    return index < 0 ? "that is gone" : ruleName(effect.rules, index, catalogue);
  };
  const words = (event: Happening): string => {
    switch (event.what) {
      case "birth":
        return event.parent >= 0
          ? `born of particle ${count(event.parent)} by rule ${rule(event.item)}, into ${group(event.present)}`
          : `born from ${labelOf(effect.sources, event.item, "a source")}, into ${group(event.present)}`;
      case "move":
        return `moved from ${group(event.previous)} to ${group(event.present)} by rule ${rule(event.item)}`;
      case "rule":
        return `rule ${rule(event.item)} begins to hold`;
      case "rule_end":
        return `rule ${rule(event.item)} holds no longer`;
      case "contact":
        return event.parent >= 0
          ? `meets particle ${count(event.parent)} of ${group(event.present)} at ${short(event.value)} m/s`
          : `touches ${labelOf(effect.shapes, event.item, "a shape")} at ${short(event.value)} m/s`;
      default:
        return "leaves";
    }
  };
  return (
    <section aria-label="Life story">
      <h4 className="mb-1 text-xs text-soft">Life story</h4>
      {story.length === 0 && <p className="text-soft">Nothing has happened to it yet.</p>}
      <ol className="border-l border-line">
        {story.map((event, index) => (
          <li key={index} className={event.frame > frame ? "opacity-50" : ""}>
            <button
              type="button"
              onClick={() => session.seek(event.frame)}
              className="flex w-full gap-2 rounded-r py-0.5 pl-2 text-left hover:bg-raised"
            >
              <span className="tabular w-8 shrink-0 text-right text-brass">{event.frame}</span>
              <span>
                {words(event)}
                {event.place && event.normal && (
                  <span className="block text-soft">
                    at {event.place.map((part) => short(part)).join(", ")}
                    {event.parent < 0 && `, where it is ${Math.round(steepness(event.normal))}° steep`}
                  </span>
                )}
              </span>
            </button>
          </li>
        ))}
      </ol>
    </section>
  );
}
