<script lang="ts">
  /** Which screen: the address after # says it, so that a reload and the back button work. */
  import Bench from './bench/Bench.svelte';
  import PartDesk from './part/PartDesk.svelte';
  import Stores from './screens/Stores.svelte';
  import Shelf from './screens/Shelf.svelte';

  let place = $state(location.hash.slice(1) || '/');
  const laying = $derived(/^\/job\/(\d+)\/part$/.exec(place)?.[1]);
  const next = $derived(/^\/new\/after\/(\d+)$/.exec(place)?.[1]);
  const job = $derived(/^\/job\/(\d+)$/.exec(place)?.[1]);
</script>

<svelte:window onhashchange={() => (place = location.hash.slice(1) || '/')} />

{#if laying}
  {#key laying}
    <PartDesk job={Number(laying)} />
  {/key}
{:else if job}
  {#key job}
    <Bench id={Number(job)} />
  {/key}
{:else if next}
  {#key next}
    <PartDesk after={Number(next)} />
  {/key}
{:else if place === '/new'}
  <PartDesk />
{:else if place === '/stores'}
  <Stores />
{:else}
  <Shelf />
{/if}
