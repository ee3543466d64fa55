/** The score: the effect as sentences in the order in which it is evaluated. */

import { DndContext, KeyboardSensor, PointerSensor, useSensor, useSensors, type DragEndEvent } from "@dnd-kit/core";
import { useQuery } from "@tanstack/react-query";
import { memo, useMemo, useRef, type ReactNode } from "react";
import { answered, api } from "@/api/client";
import { useSession, useStudio } from "@/state/use";
import { ScoreContext, type Surroundings } from "./context";
import { useDeclared } from "./declared";
import { announcing, byKeys, collision, dropped } from "./dragging";
import { MeshImport } from "./MeshImport";
import {
  Births,
  Dials,
  Fields,
  Groups,
  Looks,
  Neighbourhoods,
  OwnAttributes,
  PictureSettings,
  Rules,
  Scene,
} from "./parts";
import { ScoreMap } from "./ScoreMap";
import { ScoreSearch } from "./ScoreSearch";

/** Space plays, also while a handle has the focus. */
const PICK_UP = { start: ["Enter"], end: ["Enter"], cancel: ["Escape"] };
const INSTRUCTIONS = {
  draggable: "Press Enter to pick up, arrows to move, Enter to put down, Escape to leave it.",
};

export function Score() {
  const session = useSession();
  const pointer = useSensor(PointerSensor, { activationConstraint: { distance: 5 } });
  const sensors = useSensors(pointer, useSensor(KeyboardSensor, { coordinateGetter: byKeys, keyboardCodes: PICK_UP }));
  const list = useRef<HTMLDivElement>(null);
  const spoken = useMemo(
    () => ({ screenReaderInstructions: INSTRUCTIONS, announcements: announcing(() => session.state) }),
    [session],
  );
  const drop = (event: DragEndEvent) => session.commit(dropped(session.state.document, session.state.catalogue, event));
  return (
    <Declaring>
      <div className="flex h-full flex-col">
        <ScoreSearch list={list} />
        <div className="flex min-h-0 flex-1">
          <div ref={list} className="min-w-0 flex-1 overflow-y-auto" data-testid="score-list">
            <DndContext sensors={sensors} collisionDetection={collision} onDragEnd={drop} accessibility={spoken}>
              <Everything />
            </DndContext>
          </div>
          <ScoreMap list={list} />
        </div>
      </div>
    </Declaring>
  );
}

/** Gives down what sentences say of other parts; it follows the document, so that nothing around it has to. */
export function Declaring({ children }: { children: ReactNode }) {
  const catalogue = useStudio((state) => state.catalogue);
  const effect = useDeclared();
  const meshes = useQuery({ queryKey: ["meshes"], queryFn: () => answered(api.GET("/api/assets")) });
  const surroundings = useMemo<Surroundings>(
    () => ({ effect, catalogue, meshes: meshes.data ?? [] }),
    [effect, catalogue, meshes.data],
  );
  return <ScoreContext value={surroundings}>{children}</ScoreContext>;
}

/** Apart, so that what is told of other parts can change without all of it rendering. */
const Everything = memo(function Everything() {
  return (
    <div className="pb-5">
      <Scene />
      <MeshImport />
      <Fields />
      <Dials />
      <Groups />
      <Neighbourhoods />
      <OwnAttributes />
      <Births />
      <Rules />
      <Looks />
      <PictureSettings />
    </div>
  );
});
