import { describe, expect, it } from 'vitest';
import { fileName } from './save-picture';

describe('the name of a saved picture', () => {
  it('is what the picture is called, in letters that every disk knows', () => {
    expect(fileName('Voice and room now against then, in third octaves: nothing drifted', 'png')).toBe(
      'voice-and-room-now-against-then.png',
    );
    expect(fileName('“Deck 7” against Reedling 40', 'txt')).toBe('deck-7-against-reedling-40.txt');
  });
  it('is never empty and never long', () => {
    expect(fileName('…', 'png')).toBe('picture.png');
    expect(fileName('a'.repeat(300), 'png').length).toBeLessThanOrEqual(54);
  });
});
