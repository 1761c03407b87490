<script lang="ts">
  /** Which screen: the address after # says it, so that a reload and the back button work. */
  import Bench from './bench/Bench.svelte';
  import NewJob from './screens/NewJob.svelte';
  import Shelf from './screens/Shelf.svelte';

  let place = $state(location.hash.slice(1) || '/');
  const job = $derived(/^\/job\/(\d+)$/.exec(place)?.[1]);
</script>

<svelte:window onhashchange={() => (place = location.hash.slice(1) || '/')} />

{#if job}
  {#key job}
    <Bench id={Number(job)} />
  {/key}
{:else if place === '/new'}
  <NewJob />
{:else}
  <Shelf />
{/if}
