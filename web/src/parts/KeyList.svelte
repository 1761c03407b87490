<script lang="ts">
  /** The list of keys of a screen, shown by "?". */
  let { keys }: { keys: [string, string][] } = $props();
</script>

<aside aria-label="Keys">
  <h3>Keys</h3>
  <dl>
    {#each keys as [key, what] (key)}
      <dt>{key}</dt>
      <dd>{what}</dd>
    {/each}
  </dl>
</aside>

<style>
  aside {
    position: fixed;
    right: 16px;
    top: 54px;
    width: 330px;
    padding: 12px 16px;
    background: var(--field);
    border: 1px solid var(--ink);
    z-index: 2;
  }
  dl {
    display: grid;
    grid-template-columns: 80px 1fr;
    gap: 4px 10px;
    margin: 8px 0 0;
  }
  dt {
    font-weight: 600;
  }
  dd {
    margin: 0;
  }
</style>
