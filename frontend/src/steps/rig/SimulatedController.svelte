<script lang="ts">
  import { controllers, SIMULATED } from '../../lib/controllers.svelte';
  import { KNOBS, knobBytes, padBytes, PADS } from './simulated-controller';

  /** A controller to try it with: four knobs and four pads that send what a real one would. */
  const at = controllers.simulatedKnobs;

  function turn(knob: number, value: number): void {
    at[knob] = value;
    controllers.receive(SIMULATED, knobBytes(knob, value));
  }
</script>

<fieldset>
  <legend>{SIMULATED}</legend>
  {#each KNOBS as number, k (number)}
    <label
      >Knob {k + 1}
      <input
        type="range"
        min="0"
        max="127"
        value={at[k]}
        oninput={(event) => turn(k, Number(event.currentTarget.value))}
      />
    </label>
  {/each}
  {#each PADS as number, k (number)}
    <button
      type="button"
      onpointerdown={() => controllers.receive(SIMULATED, padBytes(k, true))}
      onpointerup={() => controllers.receive(SIMULATED, padBytes(k, false))}
      onkeydown={(event) => event.key === 'Enter' && controllers.receive(SIMULATED, padBytes(k, true))}
      onkeyup={(event) => event.key === 'Enter' && controllers.receive(SIMULATED, padBytes(k, false))}
      >Pad {k + 1}</button
    >
  {/each}
</fieldset>

<style>
  fieldset {
    display: flex;
    flex-wrap: wrap;
    gap: 10px 18px;
    align-items: center;
    padding: 10px 14px;
    border: 1px dashed var(--edge);
  }
  legend {
    padding: 0 6px;
    color: var(--quiet-ink);
    font-size: 13px;
  }
  label {
    display: inline-flex;
    gap: 6px;
    align-items: center;
    font-size: 13px;
  }
  input {
    width: 110px;
  }
  button {
    min-width: 58px;
    min-height: 40px;
    border: 1px solid var(--edge);
    border-radius: 2px;
    background: transparent;
    cursor: pointer;
  }
</style>
