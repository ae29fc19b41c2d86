/** What a person says of a thing, out of what is shown of it: the program takes no field that it does not know. */

import type { components } from './api.generated';

type Schemas = components['schemas'];
type Fields<T> = Record<keyof Required<T>, true>;

const RIG: Fields<Schemas['RigFields']> = {
  name: true,
  microphone_id: true,
  interface_id: true,
  room_id: true,
  distance_cm: true,
  angle_deg: true,
  height_cm: true,
  pop_screen: true,
  foam: true,
  shock_mount: true,
  support: true,
  rate_hz: true,
  bits: true,
  source: true,
  channel: true,
  phantom_on: true,
  aim_low_dbfs: true,
  aim_high_dbfs: true,
};

const MICROPHONE: Fields<Schemas['MicrophoneFields']> = {
  name: true,
  kind: true,
  pattern: true,
  sensitivity_mv_pa: true,
  self_noise_dba: true,
  max_spl_db: true,
  needs_phantom: true,
};

const INTERFACE: Fields<Schemas['InterfaceFields']> = {
  name: true,
  knob: true,
  gain_low_db: true,
  gain_high_db: true,
  gain_step_db: true,
  dial_low: true,
  dial_high: true,
  dial_step: true,
  pad_db: true,
  max_input_dbu: true,
  ein_dbu: true,
  has_phantom: true,
  direct_monitoring: true,
  rates_hz: true,
  bits: true,
};

const ROOM: Fields<Schemas['RoomFields']> = {
  name: true,
  length_m: true,
  width_m: true,
  height_m: true,
  surfaces: true,
};

export const FIELDS = { rig: RIG, microphone: MICROPHONE, interface: INTERFACE, room: ROOM };

/** The fields of a thing, and no others. */
export function only<T extends object>(fields: Fields<T>, whole: T): T {
  return Object.fromEntries(Object.entries(whole).filter(([name]) => name in fields)) as T;
}
