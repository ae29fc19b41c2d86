<script lang="ts">
  import { t } from '../../lib/words';
  import type { Outlook, Rig } from '../../lib/api';
  import { level } from '../../lib/format';
  import { columns } from '../../lib/numbers';
  import { desk } from '../../lib/state.svelte';
  import Picture from '../../parts/Picture.svelte';
  import { mouthAt, movedBy, patternPath, placedAt, planOf, type Placed } from './placement';

  /** Mouth and microphone from above, the mouth to be moved. */
  interface Props {
    rig: Rig;
    outlook: Outlook;
  }
  let { rig, outlook }: Props = $props();

  let tried = $state<Placed | null>(null);
  let dragged = $state(false);
  const kept = $derived({ distance_cm: rig.distance_cm, angle_deg: rig.angle_deg });
  const placed = $derived(tried ?? kept);
  const criticalCm = $derived(outlook.critical_distance_m === null ? null : outlook.critical_distance_m * 100);
  const said = $derived(
    t('{distance_cm} cm, {angle_deg}° off the axis', {
      distance_cm: level(placed.distance_cm, 0),
      angle_deg: level(placed.angle_deg, 0),
    }),
  );

  async function keep(): Promise<void> {
    const wanted = tried;
    dragged = false;
    if (wanted && (wanted.distance_cm !== kept.distance_cm || wanted.angle_deg !== kept.angle_deg)) {
      await desk.changeRig(wanted);
    }
    if (tried === wanted) tried = null;
  }

  function giveUp(): void {
    dragged = false;
    tried = null;
  }

  function onKey(event: KeyboardEvent): void {
    if (event.key === 'Enter') void keep();
    if (event.key === 'Escape') giveUp();
    const next = movedBy(event.key, placed);
    if (!next) return;
    event.preventDefault();
    tried = next;
  }
</script>

<Picture
  numbers={columns({
    [t('what')]: [
      t('mouth to microphone, cm'),
      t('off its axis, degrees'),
      t('loss from it, dB'),
      t('critical distance, cm'),
    ],
    [t('number')]: [kept.distance_cm, kept.angle_deg, outlook.off_axis_db, criticalCm],
  })}
  handles
  least={230}
  label="Mouth and microphone from above: {said}{criticalCm === null
    ? ''
    : t('; voice and reverberation are equal at {criticalCm} cm', { criticalCm: level(criticalCm, 0) })}"
>
  {#snippet children(width, height)}
    {@const plan = planOf(kept, criticalCm, width, height)}
    {@const mouth = mouthAt(plan, placed)}
    {@const far = criticalCm === null ? null : criticalCm * plan.pxPerCm}
    <clipPath id="plan"><rect x="0" y="0" {width} {height} /></clipPath>
    <g clip-path="url(#plan)">
      {#if far !== null}
        <circle
          cx={plan.x}
          cy={plan.y}
          r={far}
          fill="none"
          stroke="var(--aim)"
          stroke-width="2"
          stroke-dasharray="5 4"
        />
        <text
          x={Math.max(6, plan.x - far * 0.5)}
          y={Math.max(16, plan.y - far * 0.87 - 8)}
          style="fill: var(--aim); font-weight: 600"
          >{far > plan.y ? t('farther out: ') : ''}voice and reverberation equal, {level(criticalCm!, 0)} cm</text
        >
      {/if}
      <path
        d={patternPath(outlook.facing, plan.x, plan.y, Math.min(46, height * 0.2))}
        fill="url(#speckle)"
        stroke="var(--room)"
      />
      <line x1={plan.x} x2={plan.x} y1={plan.y} y2="24" stroke="var(--rule)" stroke-dasharray="2 4" />
      <line x1={plan.x} y1={plan.y} x2={mouth.x} y2={mouth.y} stroke="var(--ink)" stroke-width="1.5" />
      <rect x={plan.x - 5} y={plan.y - 4} width="10" height="24" rx="3" fill="var(--ink)" />
      <text class="soft" x={plan.x + 14} y={plan.y + 18}>microphone, its axis up</text>
    </g>
    <g
      class="mouth"
      role="slider"
      tabindex="0"
      aria-label="Mouth: up and down the distance, left and right the angle"
      aria-orientation="vertical"
      aria-valuemin={2}
      aria-valuemax={300}
      aria-valuenow={placed.distance_cm}
      aria-valuetext={said}
      onkeydown={onKey}
      onblur={() => void keep()}
      onpointerdown={(event) => {
        dragged = true;
        event.currentTarget.setPointerCapture(event.pointerId);
      }}
      onpointermove={(event) => {
        const box = event.currentTarget.ownerSVGElement?.getBoundingClientRect();
        if (dragged && box) tried = placedAt(plan, event.clientX - box.left, event.clientY - box.top);
      }}
      onpointerup={() => void keep()}
    >
      <circle cx={mouth.x} cy={mouth.y} r="17" fill="var(--sheet)" stroke="var(--voice)" stroke-width="2.5" />
      <path
        d="M-6 14L0 25L6 14"
        fill="var(--voice)"
        transform="translate({mouth.x} {mouth.y}) rotate({placed.angle_deg})"
      />
    </g>
    <text class="num" x={mouth.x + 26} y={mouth.y + 5} style="font-weight: 600">{said}</text>
    {#if !tried && outlook.off_axis_db < -0.05}
      <text class="soft" x={mouth.x + 26} y={mouth.y + 23}>heard {level(-outlook.off_axis_db, 1)} dB less there</text>
    {/if}
  {/snippet}
</Picture>

<style>
  .mouth {
    cursor: grab;
    touch-action: none;
  }
  .mouth:focus {
    outline: none;
  }
  .mouth:focus-visible circle {
    stroke: var(--aim);
    stroke-width: 4;
  }
</style>
