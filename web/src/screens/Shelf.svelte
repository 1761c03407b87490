<script lang="ts">
  /** The shelf: all jobs, each with a small drawing, its minutes and its state. */
  import * as api from '../api/client';
  import { minutes } from '../format';
  import TopLine from '../parts/TopLine.svelte';
  import Thumbnail from '../parts/Thumbnail.svelte';

  let jobs = $state<api.JobLine[] | null>(null);
  let faults = $state<string[]>([]);
  let asking = $state<number | null>(null);

  async function load() {
    try {
      jobs = await api.jobs();
    } catch (error) {
      faults = (error as api.Faults).sentences;
    }
  }
  void load();

  async function remove(id: number) {
    await api.deleteJob(id);
    asking = null;
    await load();
  }
  const day = (iso: string) => new Date(iso).toLocaleDateString('en-GB', { day: 'numeric', month: 'short' });
</script>

<TopLine>
  <span class="quiet">Shelf</span>
  <a class="stores" href="#/stores">Stores</a>
  <a class="button main" href="#/new">New job from a part</a>
</TopLine>
<main>
  {#each faults as sentence (sentence)}<p class="over" role="alert">{sentence}</p>{/each}
  {#if jobs?.length === 0}
    <section class="empty">
      <h2>The shelf is empty</h2>
      <p>Start with a part: a solid model, a mesh, or a drawing of what is to be cut.</p>
      <a class="button" href="#/new">New job from a part</a>
    </section>
  {/if}
  <ul>
    {#each jobs ?? [] as job (job.id)}
      <li>
        <a href="#/job/{job.id}" aria-label="Open {job.name}">
          <Thumbnail picture={job.picture} width={250} height={158} />
          <div class="line">
            <h2>{job.name}</h2>
            <span class="time">{job.seconds === null ? '–:–' : minutes(job.seconds)}</span>
          </div>
          <div class="line quiet">
            <span>
              {job.state}{#if job.findings > 0}, {job.findings}
                {job.findings === 1 ? 'finding' : 'findings'}{/if}
            </span>
            <span>{day(job.updated)}</span>
          </div>
        </a>
        {#if asking === job.id}
          <div class="ask">
            Delete this job for good?
            <button onclick={() => remove(job.id)}>Delete</button>
            <button class="plain" onclick={() => (asking = null)}>Keep</button>
          </div>
        {:else}
          <button class="plain remove" aria-label="Delete {job.name}" onclick={() => (asking = job.id)}>
            delete
          </button>
        {/if}
      </li>
    {/each}
  </ul>
</main>

<style>
  .stores {
    margin-left: auto;
    color: var(--pencil);
  }
  main {
    padding: 28px 32px;
  }
  ul {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(282px, 1fr));
    gap: 28px;
    padding: 0;
    margin: 0;
    list-style: none;
  }
  li {
    position: relative;
    border: 1px solid var(--rule);
    background: var(--sheet);
  }
  li > a {
    display: block;
    /* What deletes a job stands above its drawing. */
    padding: 30px 16px 12px;
    color: var(--ink);
    text-decoration: none;
  }
  li > a:hover {
    outline: 2px solid var(--pencil);
  }
  .line {
    display: flex;
    justify-content: space-between;
    align-items: baseline;
  }
  .line:first-of-type {
    margin-top: 10px;
    padding-top: 8px;
    border-top: 1px solid var(--rule);
  }
  .time {
    font-size: 17px;
    font-weight: 600;
  }
  .remove {
    position: absolute;
    right: 10px;
    top: 6px;
    color: var(--quiet);
    background: var(--sheet);
  }
  .ask {
    padding: 0 16px 12px;
  }
  .empty {
    max-width: 420px;
    display: grid;
    gap: 10px;
    justify-items: start;
  }
</style>
