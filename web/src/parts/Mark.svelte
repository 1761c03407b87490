<script lang="ts">
  /** The app's mark: a round with a bite out of it, and the name. */
</script>

<a href="#/" class="mark" aria-label="Just Bite, to the shelf">
  <img src="/mark.svg" alt="" width="22" height="22" />
  <span>Just Bite</span>
</a>

<style>
  .mark {
    display: flex;
    align-items: center;
    gap: 12px;
    color: var(--ink);
    text-decoration: none;
    font-size: 17px;
    font-weight: 600;
  }
</style>
