/** A value that can have keyframes: edits at the playhead set keys there; a line below says what there is and opens the curve. */

import { ChevronLeft, ChevronRight, Spline, Trash2 } from "lucide-react";
import type { ReactNode } from "react";
import { addressOf, same, type Json, type Path } from "@/state/document";
import { curve, keyAt, keysOf, SMOOTH, valueNear, withKey, type Key, type KeyValue } from "@/state/keys";
import { IconButton } from "@/ui/controls";
import { useRun, useSession, useStudio, useTimeAt } from "@/state/use";
import { storeAt, type Store } from "@/state/store";
import { counted } from "@/ui/numbers";

interface Props {
  value: Json;
  path: Path;
  /** What it is called, where that is not said above: then the way to keyframes stands beside it. */
  heading?: string;
  /** Whether keyframes begin without an easing. */
  straight?: boolean;
  /** Whether a value without keyframes has no way to them here. */
  quiet?: boolean;
  children: (present: Json, store: Store) => ReactNode;
}

/** The value of a keyframed number on the stage now, as the server has computed it. */
export function useKeyedValue(path: Path): KeyValue | null {
  const address = useStudio((state) => (state.document ? addressOf(state.document, path) : ""));
  return useRun((state) => state.shown?.frame.head.keyed[address] ?? null);
}

export function Keyable({ value, path, heading, quiet, straight, children }: Props) {
  const session = useSession();
  const now = useTimeAt(path);
  const track = useStudio((state) => state.track);
  const computed = useKeyedValue(path);
  const keys = keysOf(value);
  const open = same(track as Json, path as Json);
  if (!keys) {
    const first = (at: number): Key => ({
      at: Number(at.toFixed(4)),
      value: value as KeyValue,
      ease: straight ? "linear" : SMOOTH,
    });
    const begin = () => {
      session.edit(path, curve([first(now)]));
      session.set({ track: path });
    };
    // What is there stays at the beginning, or at the playhead where the beginning is the very time.
    const commitAt = (next: Json, time: number) => {
      const other = time > 1e-4 ? 0 : now;
      session.edit(path, curve(withKey([first(other)], time, next as KeyValue)));
      session.set({ track: path });
    };
    const plain = quiet ? storeAt(session, path) : { ...storeAt(session, path), commitAt };
    const more = (
      <button type="button" className="h-6 text-xs text-soft hover:text-brass" onClick={begin}>
        + keyframes
      </button>
    );
    return heading ? (
      <>
        <div className="flex items-center justify-between text-xs text-soft">
          {heading}
          {more}
        </div>
        {children(value, plain)}
      </>
    ) : (
      <>
        {children(value, plain)}
        {!quiet && <div>{more}</div>}
      </>
    );
  }
  const here = keyAt(keys, now, 0.5 / 240);
  const present =
    here >= 0
      ? keys[here]!.value
      : keys.length === 1 || now <= keys[0]!.at || now >= keys.at(-1)!.at
        ? valueNear(keys, now)
        : (computed ?? valueNear(keys, now));
  const put = (next: Json): Json => curve(withKey(keys, here >= 0 ? keys[here]!.at : now, next as KeyValue));
  const store: Store = {
    try: (next) => storeAt(session, path).try(put(next)),
    commit: (next) => storeAt(session, path).commit(put(next)),
    commitAt: (next, time) => storeAt(session, path).commit(curve(withKey(keys, time, next as KeyValue))),
  };
  const before = keys.filter((key) => key.at < now - 1e-3).at(-1);
  const after = keys.find((key) => key.at > now + 1e-3);
  const drop = () =>
    session.edit(path, keys.length > 1 ? curve(keys.filter((_, index) => index !== here)) : (keys[0]!.value as Json));
  return (
    <>
      {heading && <div className="text-xs text-soft">{heading}</div>}
      {children(present as Json, store)}
      <div className="mt-1 flex items-center gap-0.5 text-xs text-brass">
        <IconButton
          label="To the key before"
          className="!size-6"
          disabled={!before}
          onClick={() => before && session.seekTime(before.at)}
        >
          <ChevronLeft />
        </IconButton>
        <span className="tabular whitespace-nowrap">
          {here >= 0 ? `key ${here + 1} of ${keys.length}` : counted(keys.length, "key")}
        </span>
        <IconButton
          label="To the next key"
          className="!size-6"
          disabled={!after}
          onClick={() => after && session.seekTime(after.at)}
        >
          <ChevronRight />
        </IconButton>
        <span className="flex-1" />
        {here >= 0 && (
          <IconButton label="Remove this key" className="!size-6" onClick={drop}>
            <Trash2 />
          </IconButton>
        )}
        <IconButton
          label={open ? "Close the curve" : "Show the curve under the clock"}
          aria-pressed={open}
          className={`!size-6 ${open ? "!text-brass" : ""}`}
          onClick={() => session.set({ track: open ? null : path })}
        >
          <Spline />
        </IconButton>
        <button
          type="button"
          title="Keep this value and drop all keyframes"
          className="whitespace-nowrap rounded px-1 text-soft hover:text-text"
          onClick={() => session.edit(path, present as Json)}
        >
          no keyframes
        </button>
      </div>
    </>
  );
}
