/** Room left of the strip, in pixels: transport above, names of keyframed numbers below, so that times line up. */
export const LEFT = 206;
