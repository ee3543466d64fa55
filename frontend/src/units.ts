/** What is tested by itself, from the outside, in a browser: built apart from the app (vite.units.config.ts), shipped with nothing. */

import { PerspectiveCamera, Vector3 } from "three";
import * as keyboard from "./app/keyboard";
import * as order from "./stage/drawing/order";
import * as view from "./stage/view";
import * as adding from "./state/adding";
import * as document from "./state/document";
import { Frames } from "./state/frames";
import * as keys from "./state/keys";
import * as naming from "./state/naming";
import { preferences } from "./state/preferences";
import { SaveQueue } from "./state/saving";
import * as kinds from "./score/matching";
import * as template from "./score/template";
import * as unsaid from "./score/unsaid";
import * as colours from "./ui/colours";
import * as numbers from "./ui/numbers";
import * as typed from "./ui/typed";

export {
  adding,
  colours,
  document,
  Frames,
  keyboard,
  keys,
  kinds,
  naming,
  numbers,
  order,
  PerspectiveCamera,
  preferences,
  SaveQueue,
  template,
  typed,
  unsaid,
  Vector3,
  view,
};
