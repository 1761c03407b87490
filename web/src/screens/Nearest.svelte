<script lang="ts">
  /** For a material that the stores do not have: the one of its group that is nearest in hardness. */
  import * as api from '../api/client';
  import { FIELDS } from './fields';

  let { onfound }: { onfound: (id: string) => void } = $props();
  const groups = FIELDS.materials.find((f) => f.key === 'group')!.options!;
  let group = $state('P');
  let hardness = $state('');
  let said = $state('');

  async function look() {
    try {
      const typed = Number(hardness.replace(',', '.'));
      const { id } = await api.nearestMaterial(group, hardness.trim() && typed > 0 ? typed : null);
      if (id) onfound(id);
      else said = `The stores have no material of group ${group}.`;
    } catch (error) {
      said = (error as api.Faults).sentences.join(' ');
    }
  }
</script>

<form
  onsubmit={(e) => {
    e.preventDefault();
    void look();
  }}
>
  <span>Begin with what is most like it:</span>
  <label
    >group
    <select bind:value={group}>
      {#each groups as g (g)}<option value={g}>{g}</option>{/each}
    </select></label
  >
  <label>hardness <input type="text" size="5" bind:value={hardness} /> HB</label>
  <button>Find the nearest</button>
  {#if said}<span role="status">{said}</span>{/if}
</form>

<style>
  form {
    display: flex;
    flex-wrap: wrap;
    gap: 10px;
    align-items: center;
    padding: 8px;
  }
</style>
