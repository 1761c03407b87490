"""All tests. The core comes first, so that the linear algebra keeps to one thread as it does in the product."""

import justbite  # noqa: F401
