<script lang="ts">
  /** Which load colours the path, and the scale that it is read by. */
  import { css, loadColour, number, OVER } from '../format';
  import type { BenchState, Lens } from './bench.svelte';

  let { bench, topFeed, onwhole }: { bench: BenchState; topFeed: number; onwhole: () => void } = $props();
  const LENSES: Lens[] = ['engagement', 'feed', 'order'];
  const ramp = `linear-gradient(to right, ${[0, 1 / 3, 2 / 3, 1].map((s) => css(loadColour(s))).join(',')})`;
</script>

<div class="lenses">
  <span class="quiet">Lens</span>
  {#each LENSES as lens (lens)}
    <button class="plain" class:chosen={bench.lens === lens} onclick={() => (bench.lens = lens)}
      >{lens}</button
    >
  {/each}
  <span class="ramp" style:background={ramp}></span>
  {#if bench.lens === 'engagement'}
    <span class="ramp over" style:background={css(OVER)}></span>
    <span class="quiet"
      >0 to {number(bench.report?.target_engagement_deg ?? bench.bite?.angle ?? 0)}°, over</span
    >
  {:else if bench.lens === 'feed'}
    <span class="quiet">0 to {number(topFeed)} mm/min held</span>
  {:else}
    <span class="quiet">first to last</span>
  {/if}
  <span class="spring"></span>
  <button class="plain" onclick={onwhole}>whole part</button>
</div>

<style>
  .lenses {
    display: flex;
    align-items: center;
    gap: 10px;
    padding: 0 16px;
    border-bottom: 1px solid var(--rule);
  }
  .lenses .chosen {
    font-weight: 600;
    box-shadow: inset 0 -2px var(--pencil);
  }
  .ramp {
    width: 110px;
    height: 9px;
  }
  .ramp.over {
    width: 9px;
    margin-left: -8px;
  }
  .spring {
    flex: 1;
  }
</style>
