/** Where the focus goes when something that lay over the page closes. */

/** It goes back to what opened it only if nothing else has taken it meanwhile: what is being typed elsewhere stays there. */
export const unlessTaken = (event: Event): void => {
  if (document.activeElement !== document.body) event.preventDefault();
};
