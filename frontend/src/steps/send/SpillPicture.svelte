<script lang="ts">
  import { t } from '../../lib/words';
  import { signed } from '../../lib/format';
  import { decibelScale } from '../../lib/scales';
  import type { TwoPeople } from '../../lib/api';
  import Picture from '../../parts/Picture.svelte';

  /** Each microphone: its own person, and the other one there, before and while only that one talks. */
  interface Props {
    people: TwoPeople;
    /** What the person beside is called. */
    name: string;
  }
  let { people, name }: Props = $props();
  const LEFT = 150;
  const RIGHT = 90;
  const ROW = 96;
  const TOP = 26;
  const TICKS = [-48, -36, -24, -12, 0];
  const sides = $derived([
    {
      title: t('Your microphone'),
      own: t('you'),
      spill: people.spill.find((way) => way.who === 'person'),
      other: name,
      alone: t('while only they talk'),
    },
    {
      title: t('Microphone of {name}', { name }),
      own: name,
      spill: people.spill.find((way) => way.who === 'voice'),
      other: t('you'),
      alone: t('while only you talk'),
    },
  ]);
  const label = $derived(
    sides
      .map((side) =>
        side.spill
          ? t('{title}: {other} at {level} dB, {left} dB {alone}', {
              alone: side.alone,
              title: side.title,
              other: side.other,
              level: signed(side.spill.level_db),
              left: signed(side.spill.level_db - side.spill.depth_db),
            })
          : t('{title}: not measured', { title: side.title }),
      )
      .join('. '),
  );
</script>

<Picture {label} least={TOP + 2 * ROW + 20}>
  {#snippet children(width: number)}
    {@const x = decibelScale(-48, 0, LEFT, width - RIGHT)}
    {#each TICKS as tick (tick)}
      <line x1={x(tick)} x2={x(tick)} y1={TOP - 6} y2={TOP + 2 * ROW} stroke="var(--rule)" />
      <text x={x(tick)} y={TOP - 12} text-anchor="middle" class="tick">{signed(tick, 0)}{tick === 0 ? ' dB' : ''}</text>
    {/each}
    {#each sides as side, at (side.title)}
      {@const y = TOP + at * ROW}
      <text x="0" y={y + 12} class="title">{side.title}</text>
      <text x={LEFT - 10} y={y + 36} text-anchor="end" class="who">{side.own}</text>
      <rect x={LEFT} y={y + 26} width={x(0) - LEFT} height="12" fill="var(--voice)" />
      <text x={LEFT - 10} y={y + 62} text-anchor="end" class="who">{side.other}</text>
      {#if side.spill}
        {@const level = Math.max(-48, side.spill.level_db)}
        {@const left = Math.max(-48, side.spill.level_db - side.spill.depth_db)}
        <rect x={LEFT} y={y + 52} width={x(level) - LEFT} height="12" fill="url(#speckle)" stroke="var(--room)" />
        <text x={x(level) + 8} y={y + 62}
          ><tspan class="value">{signed(side.spill.level_db)} dB</tspan><tspan dx="8" class="who"
            >{t('{ms} ms later', { ms: side.spill.late_ms.toFixed(1) })}</tspan
          ></text
        >
        {#if people.is_lowered}
          <rect x={LEFT} y={y + 70} width={x(left) - LEFT} height="5" fill="var(--room)" />
          <text x={x(left) + 8} y={y + 79}
            ><tspan class="value">{signed(side.spill.level_db - side.spill.depth_db)} dB</tspan><tspan
              dx="8"
              class="who">{side.alone}</tspan
            ></text
          >
        {/if}
      {:else}
        <text x={LEFT} y={y + 62} class="who">{t('not measured')}</text>
      {/if}
    {/each}
  {/snippet}
</Picture>

<style>
  text {
    fill: var(--ink);
    font-size: 13px;
  }
  .tick,
  .value {
    font: 500 12px var(--mono);
  }
  .tick,
  .who {
    fill: var(--quiet-ink);
  }
  .title {
    font-weight: 600;
  }
</style>
