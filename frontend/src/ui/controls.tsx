/** Small controls in one look, on Radix primitives, as the studio uses them. The library takes only what it needs of them. */

export { Button } from "./Button";
export { Dialog } from "./Dialog";
export { Hint, IconButton } from "./Hint";
export { Menu, type MenuEntry } from "./Menu";
export { Popover, PopoverClose } from "./Popover";
export { Slider } from "./Slider";
