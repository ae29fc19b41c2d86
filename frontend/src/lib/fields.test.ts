import { expect, it } from 'vitest';
import { FIELDS, only } from './fields';

it('leaves out what is only shown', () => {
  const shown = { id: 3, name: 'Loft', length_m: 4.6, width_m: null, height_m: 2.4, surfaces: null, noise_dba: 30 };
  expect(only(FIELDS.room, shown)).toEqual({
    name: 'Loft',
    length_m: 4.6,
    width_m: null,
    height_m: 2.4,
    surfaces: null,
  });
});
