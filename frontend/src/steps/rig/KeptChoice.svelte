<script lang="ts">
  import type { KeptKind } from '../../lib/api';
  import { desk } from '../../lib/state.svelte';

  /** Which of the kept things the rig is made of; a further one can be added, an unused one removed. */
  interface Props {
    kind: KeptKind;
    things: { id: number; name: string }[];
    chosen: number;
    blank: object;
  }
  let { kind, things, chosen, blank }: Props = $props();

  const used = $derived(things.find((thing) => thing.id === chosen));

  function fresh(): string {
    for (let n = 2; ; n++) {
      const name = `New ${kind} ${n}`;
      if (!things.some((thing) => thing.name === name)) return name;
    }
  }

  function add(): void {
    void desk.do('POST', `${kind}s`, { ...blank, name: fresh() });
  }

  async function remove(): Promise<void> {
    const other = things.find((thing) => thing.id !== chosen);
    if (!used || !other) return;
    if (await desk.changeRig({ [`${kind}_id`]: other.id })) await desk.do('DELETE', `kept/${kind}/${used.id}`);
  }
</script>

<div>
  <label>
    In this rig
    <select
      value={String(chosen)}
      onchange={(event) => void desk.changeRig({ [`${kind}_id`]: Number(event.currentTarget.value) })}
    >
      {#each things as thing (thing.id)}<option value={String(thing.id)}>{thing.name}</option>{/each}
    </select>
  </label>
  <button type="button" onclick={add}>Add {kind === 'interface' ? 'an' : 'a'} {kind}</button>
  {#if things.length > 1}<button type="button" onclick={() => void remove()}>Remove this one</button>{/if}
</div>

<style>
  div {
    display: flex;
    gap: 10px;
    align-items: end;
    padding-bottom: 12px;
    border-bottom: 1px solid var(--rule);
  }
  label {
    color: var(--quiet-ink);
    font-size: 13px;
  }
  select {
    display: block;
    min-width: 220px;
    min-height: 32px;
    margin-top: 2px;
    font-size: 14px;
  }
  button {
    min-height: 32px;
    padding: 0 10px;
    border: 1px solid var(--edge);
    border-radius: 2px;
    background: none;
    font-size: 13px;
    cursor: pointer;
  }
</style>
