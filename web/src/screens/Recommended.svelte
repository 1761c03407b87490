<script lang="ts">
  /** Recommended speed, feed per tooth and ramp angle of a cutter, by material; they go before the catalogue's figures. */
  import type { CutValues, StoreEntry } from '../types';
  import { FIELDS } from './fields';

  let {
    values,
    materials,
    onchange,
  }: { values: CutValues[]; materials: StoreEntry[]; onchange: (values: CutValues[]) => void } = $props();
  const groups = FIELDS.materials.find((f) => f.key === 'group')!.options!;

  function set(at: number, key: keyof CutValues, typed: string) {
    const plain = key === 'material' || key === 'source';
    const figure = () => Number(typed.replace(',', '.')) / (key === 'at_share' ? 100 : 1);
    const none = key === 'ramp_angle' && typed.trim() === '';
    const value = plain ? typed : none ? null : figure();
    onchange(values.map((v, i) => (i === at ? { ...v, [key]: value } : v)));
  }
  const blank = (): CutValues => ({
    material: materials[0]?.name ?? 'P',
    cutting_speed: 100,
    feed_per_tooth: 0.05,
    at_share: 0.5,
    source: 'the maker',
  });
</script>

<div class="head">
  <h3>Recommended</h3>
  <button class="plain" onclick={() => onchange([...values, blank()])}>add</button>
</div>
{#each values as v, i (i)}
  <fieldset>
    <label>
      <span>In</span>
      <select value={v.material} onchange={(e) => set(i, 'material', e.currentTarget.value)}>
        {#each materials as m (m.id)}<option value={m.name}>{m.name}</option>{/each}
        {#each groups as g (g)}<option value={g}>all of group {g}</option>{/each}
      </select>
    </label>
    <label>
      <span>Cutting speed</span>
      <input
        type="text"
        value={v.cutting_speed}
        onchange={(e) => set(i, 'cutting_speed', e.currentTarget.value)}
      />
      <span class="quiet">m/min</span>
    </label>
    <label>
      <span>Feed per tooth</span>
      <input
        type="text"
        value={v.feed_per_tooth}
        onchange={(e) => set(i, 'feed_per_tooth', e.currentTarget.value)}
      />
      <span class="quiet">mm</span>
    </label>
    <label>
      <span>at a bite of</span>
      <input
        type="text"
        value={100 * v.at_share}
        onchange={(e) => set(i, 'at_share', e.currentTarget.value)}
      />
      <span class="quiet">% of D</span>
    </label>
    <label title="The steepest way down that this cutter bears; empty: as the material says.">
      <span>Ramp angle</span>
      <input
        type="text"
        value={v.ramp_angle ?? ''}
        placeholder="the material’s"
        onchange={(e) => set(i, 'ramp_angle', e.currentTarget.value)}
      />
      <span class="quiet">°</span>
    </label>
    <label>
      <span>Says who</span>
      <input type="text" value={v.source} onchange={(e) => set(i, 'source', e.currentTarget.value)} />
      <button class="plain" onclick={() => onchange(values.filter((_, k) => k !== i))}>drop</button>
    </label>
  </fieldset>
{:else}
  <p class="quiet">None: the material’s own figures are used.</p>
{/each}

<style>
  .head {
    display: flex;
    justify-content: space-between;
    align-items: baseline;
    margin-top: 8px;
  }
  fieldset {
    display: grid;
    gap: 4px;
    margin: 0;
    padding: 6px 0 8px;
    border: 0;
    border-top: 1px solid var(--rule);
  }
  label {
    display: grid;
    grid-template-columns: 120px 1fr 76px;
    gap: 8px;
    align-items: center;
  }
  input,
  select {
    min-width: 0;
  }
</style>
