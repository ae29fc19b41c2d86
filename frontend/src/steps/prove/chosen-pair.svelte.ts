import { place } from '../../lib/place.svelte';

/** Which pair the next blind series compares; another leaf may choose one, and says what it is called. */
class ChosenPair {
  second = $state('raw');
  title = $state<string | null>(null);

  /** Go to the blind series with a pair. */
  hear(second: string, title: string | null = null): void {
    this.second = second;
    this.title = title;
    place.leaf.prove = 'blind';
  }
}

export const chosenPair = new ChosenPair();
