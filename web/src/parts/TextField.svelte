<script lang="ts">
  /**
   * A line of text that is taken over on Enter or on leaving. While it is being typed nothing that
   * comes back from the server late is written over it; what is not understood stays to be mended.
   */
  import { pending } from './pending';

  interface Props {
    value: string;
    /** What a reader of the screen hears when the words beside the field do not say it. */
    label?: string;
    placeholder?: string;
    list?: string;
    /** Take the text over; false: it was not understood. */
    ontake: (text: string) => boolean | void | Promise<boolean | void>;
  }
  let { value, label, placeholder, list, ontake }: Props = $props();
  let typed = $state<string | null>(null);
  let taken: string | null = null;

  async function take() {
    const text = typed;
    if (text === null || text === taken) return;
    if (text === value) return leave();
    taken = text;
    const understood = await ontake(text);
    // Something else may have been typed while it was kept.
    if (typed === text && understood !== false) leave();
  }

  function leave() {
    typed = taken = null;
  }

  function key(event: KeyboardEvent) {
    if (event.key === 'Enter') pending(take());
    if (event.key === 'Escape') leave();
  }
</script>

<input
  type="text"
  aria-label={label}
  {placeholder}
  {list}
  value={typed ?? value}
  oninput={(e) => (typed = e.currentTarget.value)}
  onblur={() => pending(take())}
  onkeydown={key}
/>

<style>
  input {
    min-width: 0;
    width: 100%;
  }
</style>
