<script lang="ts">
  import { counted, t } from '../../lib/words';
  import { compareSituations, type ComparedSituations, type Overview, type Situation } from '../../lib/api';
  import { signed } from '../../lib/format';
  import { desk } from '../../lib/state.svelte';
  import Across from '../../parts/Across.svelte';
  import Button from '../../parts/Button.svelte';
  import Key from '../../parts/Key.svelte';
  import Mark from '../../parts/Mark.svelte';
  import TonePicture from '../prove/TonePicture.svelte';

  /** One calibration, decided otherwise for other occasions: made, used, followed, compared. */
  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  const SHOWN = 3;
  const NOW = 0;
  const situations = $derived(overview.situations);
  const inForce = $derived(situations.find((each) => each.in_force));
  const byItself = $derived(situations.find((each) => each.used_by_itself));
  const feeds = $derived(overview.destinations.filter((each) => each.feed));
  let name = $state('');
  let renaming = $state<number | null>(null);
  let title = $state('');
  let first = $state(NOW);
  let second = $state<number | null>(null);
  let compared = $state.raw<ComparedSituations | null>(null);
  const nameOf = (id: number) =>
    id === NOW ? t('how it is now') : (situations.find((each) => each.id === id)?.name ?? '');
  const most = $derived(Math.max(0, ...(compared?.compared?.db ?? []).map(Math.abs)));

  async function keep(): Promise<void> {
    if (await desk.do('post', '/api/situations', { body: { name } })) name = '';
  }

  async function rename(id: number): Promise<void> {
    if (await desk.do('patch', '/api/situations/{id}', { params: { path: { id } }, body: { name: title } }))
      renaming = null;
  }

  const use = (id: number) => void desk.do('post', '/api/situations/{id}/use', { params: { path: { id } } });
  const renew = (id: number) => void desk.do('post', '/api/situations/{id}/renew', { params: { path: { id } } });
  const remove = (id: number) => void desk.do('delete', '/api/situations/{id}', { params: { path: { id } } });
  const follow = (id: number, listener: string | null) =>
    void desk.do('put', '/api/situations/{id}/follow', { params: { path: { id } }, body: { listener } });

  /** What a situation does otherwise than now, as far as there is room. */
  function otherwise(situation: Situation): string {
    const said = situation.differs.slice(0, SHOWN).map((each) => `${each.title}: ${each.second}`);
    const more = situation.differs.length - said.length;
    return [...said, ...(more > 0 ? [counted(more, '{count} more', '{count} more')] : [])].join('; ');
  }

  $effect(() => {
    const other = second ?? situations.find((each) => !each.in_force)?.id ?? null;
    const [one, two] = [first, other];
    void desk.revision;
    if (two === null || one === two || ![one, two].every((id) => id === NOW || nameOf(id))) {
      compared = null;
      return;
    }
    let gone = false;
    compareSituations(one, two)
      .then((found) => {
        if (!gone) compared = found;
      })
      .catch((error: unknown) => desk.complain(error));
    return () => (gone = true);
  });
  const other = $derived(second ?? situations.find((each) => !each.in_force)?.id ?? null);
</script>

<div class="whole">
  {#if !situations.length}
    <p class="words">
      A situation is how everything is decided now, under a name: which listeners are in use, taste, targets, switched
      stages and pins. Switch between them live, by a press, a key, a pad or from outside. Nothing is measured again.
    </p>
  {/if}
  <form
    class="row"
    onsubmit={(event) => {
      event.preventDefault();
      void keep();
    }}
  >
    <label>Name <input bind:value={name} maxlength="40" placeholder={t('late, softly')} /></label>
    <Button disabled={!name.trim() || desk.busy} onclick={() => void keep()}>Keep how it is now</Button>
    {#if situations.length}
      <span class="soft">
        {inForce ? t('It is as in “{name}”.', { name: inForce.name }) : t('How it is now is in no situation yet.')}
      </span>
    {/if}
  </form>
  {#if byItself || overview.following.held_off || overview.following.waits}
    <p class="row" role="status">
      <span
        >{overview.following.waits ??
          (overview.following.held_off
            ? t('Nothing follows by itself for now.')
            : t('“{name}” is used because a program records {listener}.', {
                name: byItself?.name ?? '',
                listener: byItself?.follows_name ?? '',
              }))}</span
      >
      <Button
        quiet
        pressed={overview.following.held_off}
        onclick={() => void desk.do('put', '/api/situations/hold-off', { body: { on: !overview.following.held_off } })}
        >Hold it off for now</Button
      >
    </p>
  {/if}
  {#if situations.length}
    <ul aria-label="Situations">
      {#each situations as situation (situation.id)}
        <li>
          {#if renaming === situation.id}
            <form
              class="row"
              onsubmit={(event) => {
                event.preventDefault();
                void rename(situation.id);
              }}
            >
              <input aria-label="New name" bind:value={title} maxlength="40" />
              <button type="submit">Rename</button>
              <button type="button" onclick={() => (renaming = null)}>Cancel</button>
            </form>
          {:else}
            <div class="row">
              <strong
                >{#if situation.in_force}<Mark kind="good" />{/if}
                {situation.name}</strong
              >
              <span class="otherwise"
                >{situation.in_force ? t('in force') : otherwise(situation) || t('decided like now')}</span
              >
            </div>
            <div class="row small">
              {#if !situation.in_force}
                <button type="button" class="use" onclick={() => use(situation.id)}>Use it</button>
                <button
                  type="button"
                  title="“{situation.name}” becomes how it is now"
                  onclick={() => renew(situation.id)}>Replace</button
                >
              {/if}
              <button
                type="button"
                onclick={() => {
                  renaming = situation.id;
                  title = situation.name;
                }}>Rename</button
              >
              <button type="button" onclick={() => remove(situation.id)}>Remove</button>
              <label>
                used by itself
                <select
                  aria-label="When {situation.name} is used by itself"
                  value={situation.follows ?? ''}
                  onchange={(event) => follow(situation.id, event.currentTarget.value || null)}
                >
                  <option value="">never</option>
                  {#each feeds as listener (listener.key)}
                    <option value={listener.key}>while a program records {listener.feed}</option>
                  {/each}
                </select>
              </label>
              {#if situation.follows && !situation.can_follow}
                <span class="soft">This listener is not in use, so nobody can record it.</span>
              {/if}
            </div>
          {/if}
        </li>
      {/each}
    </ul>
    <p class="soft">
      The next one: <Key does="situation" />. From outside:
      <code>obsidian-wren tell situation "{(situations.find((each) => !each.in_force) ?? situations[0])?.name}"</code>
    </p>
  {/if}
  {#if situations.length && other !== null}
    <h3>Side by side</h3>
    <div class="row">
      <select aria-label="First" bind:value={first}>
        <option value={NOW}>how it is now</option>
        {#each situations as each (each.id)}<option value={each.id}>{each.name}</option>{/each}
      </select>
      <select aria-label="Second" value={other} onchange={(event) => (second = Number(event.currentTarget.value))}>
        <option value={NOW}>how it is now</option>
        {#each situations as each (each.id)}<option value={each.id}>{each.name}</option>{/each}
      </select>
    </div>
    {#if compared}
      {#if most >= 0.1 && compared.compared}
        <div class="picture">
          <TonePicture
            hz={compared.compared.hz}
            db={compared.compared.db}
            title={t('tone of “{second}” against “{first}”', { first: nameOf(first), second: nameOf(other) })}
          />
        </div>
      {/if}
      {#if compared.decided.length || compared.compared?.settings.length}
        <Across label="What differs"
          ><table>
            <thead>
              <tr>
                <th scope="col">what differs</th>
                <th scope="col">{nameOf(first)}</th>
                <th scope="col">{nameOf(other)}</th>
              </tr>
            </thead>
            <tbody>
              {#each compared.decided as row (row.title)}
                <tr><th scope="row">{row.title}</th><td>{row.first}</td><td>{row.second}</td></tr>
              {/each}
              {#each compared.compared?.settings ?? [] as row (row.stage + row.setting)}
                <tr>
                  <th scope="row" class="follows">{row.title}</th>
                  <td class="num">{row.first ?? t('none')}</td>
                  <td class="num">{row.second ?? t('none')}</td>
                </tr>
              {/each}
            </tbody>
          </table></Across
        >
        {#if compared.compared === null}
          <p class="soft">The settings of one of them are derived when it is used.</p>
        {:else if most < 0.1}
          <p class="soft">Their tone is the same within {signed(0.1)} dB.</p>
        {/if}
      {:else}
        <p class="soft">Both decide alike.</p>
      {/if}
    {/if}
  {/if}
</div>

<style>
  .whole {
    padding-bottom: 12px;
  }
  .words {
    max-width: 70ch;
    line-height: 1.45;
  }
  .row {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 12px;
    align-items: center;
    padding: 6px 0;
  }
  .soft {
    color: var(--quiet-ink);
    font-size: 13px;
  }
  table {
    width: 100%;
    border-collapse: collapse;
    font-size: 13px;
  }
  th,
  td {
    padding: 5px 10px 5px 0;
    border-bottom: 1px solid var(--rule);
    text-align: left;
    vertical-align: baseline;
  }
  thead th {
    color: var(--quiet-ink);
  }
  ul {
    margin: 4px 0;
    padding: 0;
    list-style: none;
  }
  li {
    padding: 4px 0;
    border-top: 1px solid var(--rule);
  }
  li .row {
    padding: 2px 0;
  }
  .small {
    font-size: 13px;
  }
  .otherwise {
    color: var(--quiet-ink);
  }
  .follows {
    padding-left: 12px;
    font-weight: 400;
  }
  td.num {
    white-space: normal;
  }
  li select {
    max-width: 100%;
    min-height: 28px;
  }
  li button {
    min-height: 26px;
    padding: 0 8px;
    border: 1px solid var(--edge);
    border-radius: 2px;
    background: transparent;
    font-size: 12px;
    cursor: pointer;
  }
  li .use {
    border-color: var(--ink);
    font-weight: 600;
  }
  h3 {
    margin-top: 14px;
    font-size: 15px;
  }
  .picture {
    height: 180px;
    margin-bottom: 8px;
  }
  code {
    font-size: 12px;
  }
</style>
