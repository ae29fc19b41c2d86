<script lang="ts">
  import { t } from '../../lib/words';
  import type { KeptKind } from '../../lib/api';
  import { desk } from '../../lib/state.svelte';

  /** Which of the kept things the rig is made of; a further one can be added, an unused one removed. */
  interface Props {
    kind: KeptKind;
    things: { id: number; name: string }[];
    chosen: number;
  }
  let { kind, things, chosen }: Props = $props();

  const NEW: Record<KeptKind, (n: number) => string> = {
    microphone: (n) => t('New microphone {n}', { n }),
    interface: (n) => t('New interface {n}', { n }),
    room: (n) => t('New room {n}', { n }),
  };

  function fresh(): string {
    for (let n = 2; ; n++) {
      const name = NEW[kind](n);
      if (!things.some((thing) => thing.name === name)) return name;
    }
  }

  function add(): void {
    void desk.addThing(kind, fresh());
  }

  /** Only what this rig is not made of can go; what another rig is made of is refused. */
  const ADD = {
    microphone: t('Add a microphone'),
    interface: t('Add an interface'),
    room: t('Add a room'),
  };
  const others = $derived(things.filter((thing) => thing.id !== chosen));
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
  <button type="button" onclick={add}>{ADD[kind]}</button>
  {#if others.length}
    <label>
      Remove
      <select
        value=""
        onchange={(event) => {
          void desk.do('delete', '/api/kept/{kind}/{id}', {
            params: { path: { kind, id: Number(event.currentTarget.value) } },
          });
          event.currentTarget.value = '';
        }}
      >
        <option value="" disabled>choose one that is not used</option>
        {#each others as thing (thing.id)}<option value={String(thing.id)}>{thing.name}</option>{/each}
      </select>
    </label>
  {/if}
</div>

<style>
  div {
    display: flex;
    flex-wrap: wrap;
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
    width: 220px;
    max-width: 100%;
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
