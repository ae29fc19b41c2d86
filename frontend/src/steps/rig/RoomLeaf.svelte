<script lang="ts">
  import { t } from '../../lib/words';
  import type { Overview, Rig, Room } from '../../lib/api';
  import { withUnit } from '../../lib/format';
  import { desk } from '../../lib/state.svelte';
  import Field from '../../parts/Field.svelte';
  import KeptChoice from './KeptChoice.svelte';
  import PlacementPicture from './PlacementPicture.svelte';
  import RoomPlan from './RoomPlan.svelte';

  interface Props {
    overview: Overview;
    room: Room;
  }
  let { overview, room }: Props = $props();
  const rig = $derived(overview.rig);
  const outlook = $derived(overview.outlook);

  const SURFACES: { value: Room['surfaces']; title: string }[] = [
    { value: null, title: t('unknown') },
    { value: 'bare', title: t('bare and hard') },
    { value: 'furnished', title: t('furnished') },
    { value: 'soft', title: t('soft: carpet, curtains, bed') },
    { value: 'treated', title: t('treated') },
  ];
  const SUPPORTS: { value: Rig['support']; title: string }[] = [
    { value: 'desk stand', title: t('stand on the desk') },
    { value: 'arm', title: t('arm') },
    { value: 'floor stand', title: t('stand on the floor') },
    { value: 'worn', title: t('worn') },
  ];

  function keep(change: Partial<Room>): void {
    void desk.keepRoom(room.id, change);
  }
</script>

<div class="leaf">
  <div>
    <h3>Placement</h3>
    <div class="fields">
      <Field
        label="Mouth to microphone, cm"
        kind="needed"
        value={rig.distance_cm}
        keep={(value) => void desk.changeRig({ distance_cm: value })}
      />
      <Field
        label="Off its axis, degrees"
        kind="needed"
        value={rig.angle_deg}
        keep={(value) => void desk.changeRig({ angle_deg: value })}
      />
      <Field
        label="Over the mouth, cm"
        kind="needed"
        value={rig.height_cm}
        keep={(value) => void desk.changeRig({ height_cm: value })}
      />
      <Field
        label="Support"
        wide
        kind="choice"
        choices={SUPPORTS}
        value={rig.support}
        keep={(value) => void desk.changeRig({ support: value })}
      />
      <Field
        label="Pop screen"
        kind="tick"
        value={rig.pop_screen}
        keep={(value) => void desk.changeRig({ pop_screen: value })}
      />
      <Field label="Foam" kind="tick" value={rig.foam} keep={(value) => void desk.changeRig({ foam: value })} />
      <Field
        label="Shock mount"
        kind="tick"
        value={rig.shock_mount}
        keep={(value) => void desk.changeRig({ shock_mount: value })}
      />
    </div>
    <h3>The room</h3>
    <KeptChoice kind="room" things={overview.rooms} chosen={room.id} />
    <div class="fields">
      <Field label="Name" wide value={room.name} keep={(name) => keep({ name })} />
      <Field
        label="Length, m"
        kind="number"
        value={room.length_m ?? null}
        keep={(value) => keep({ length_m: value })}
      />
      <Field label="Width, m" kind="number" value={room.width_m ?? null} keep={(value) => keep({ width_m: value })} />
      <Field
        label="Height, m"
        kind="number"
        value={room.height_m ?? null}
        keep={(value) => keep({ height_m: value })}
      />
      <Field
        label="Surfaces"
        kind="choice"
        choices={SURFACES}
        value={room.surfaces ?? null}
        keep={(value) => keep({ surfaces: value })}
      />
    </div>
    <p>
      Noise in this room: <span class="num">{withUnit(room.noise_dba, 'dB(A)', 0)}</span>{room.noise_dba === null
        ? t(', until a take in Quiet shows it')
        : t(', measured in the last take of the room')}. Decay time
      <span class="num">{withUnit(outlook.decay_s, 's', 2)}</span>, so voice and reverberation are equal at
      <span class="num"
        >{withUnit(outlook.critical_distance_m === null ? null : outlook.critical_distance_m * 100, 'cm', 0)}</span
      >.
    </p>
  </div>
  <div class="drawn">
    <div class="plan"><PlacementPicture {rig} {outlook} /></div>
    {#if room.length_m && room.width_m}
      <div class="room"><RoomPlan {room} criticalM={outlook.critical_distance_m} /></div>
    {/if}
  </div>
</div>

<style>
  .leaf {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(min(100%, 330px), 1fr));
    gap: 8px 24px;
  }
  .fields {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(110px, 1fr));
    gap: 8px 14px;
    align-items: end;
    padding: 10px 0;
  }
  p {
    padding-bottom: 12px;
    color: var(--quiet-ink);
    font-size: 13px;
  }
  .plan {
    height: clamp(250px, 32vh, 400px);
  }
  .room {
    height: 170px;
  }
  h3:not(:first-child) {
    margin: 8px 0;
    padding-top: 10px;
    border-top: 1px solid var(--rule);
  }
  h3 {
    font-size: 15px;
  }
</style>
