import { MediaQuery } from 'svelte/reactivity';

/** A window in which the page is one column; the same bound as in the styles. */
export const small = new MediaQuery('(max-width: 900px), (max-height: 600px)');

/** A window in which a second picture stands beside the first. */
export const wide = new MediaQuery('(min-width: 1600px) and (min-height: 700px)');
