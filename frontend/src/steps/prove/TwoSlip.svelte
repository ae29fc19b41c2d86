<script lang="ts">
  import { desk } from '../../lib/state.svelte';
  import Button from '../../parts/Button.svelte';
  import Fact from '../../parts/Fact.svelte';
  import Unknown from '../../parts/Unknown.svelte';
  import { chosenPair } from './chosen-pair.svelte';
  import { compared } from './compared.svelte';

  /** Which of two microphones to take, why, and what to do next. */
  const two = $derived(compared.shown);
</script>

{#if !two}
  <Unknown what="which microphone serves you better" />
{:else}
  <Fact name={two.said[0]?.title ?? ''} value="" mark={two.better ? 'good' : 'none'}>{two.said[0]?.sentence}</Fact>
  <div class="do">
    {#if two.take_id}
      {@const id = two.take_id}
      <Button
        primary={two.better === 'second'}
        disabled={desk.busy}
        title="What was measured with {two.first} is then outdated"
        onclick={() => void desk.do('post', '/api/two/{id}/use', { params: { path: { id } } })}
        >Put {two.second} into the rig</Button
      >
      <Button
        disabled={desk.busy}
        title="Its room and sentence become your takes, and the equalizer is fitted to {two.first}"
        onclick={() => void desk.do('post', '/api/two/{id}/sound-like-first', { params: { path: { id } } })}
        >Fit it to sound like {two.first}</Button
      >
      <Button disabled={desk.busy} onclick={() => chosenPair.hear(`both:${id}`)}>Compare blind</Button>
    {:else if compared.rigId !== null}
      {@const id = compared.rigId}
      <Button
        primary={two.better === 'second'}
        disabled={desk.busy}
        onclick={() => {
          void compared.choose(null);
          void desk.do('post', '/api/rigs/{id}/use', { params: { path: { id } } });
        }}>Switch to “{two.second}”</Button
      >
    {/if}
  </div>
  {#each two.said.slice(1) as said (said.title)}
    <Fact name={said.title} value="">{said.sentence}</Fact>
  {/each}
{/if}

<style>
  .do {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    padding: 10px 0;
    border-bottom: 1px solid var(--rule);
  }
</style>
