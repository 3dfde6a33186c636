"""The same work on a Dask cluster: `pip install lather[cluster]`, `--scheduler ADDRESS`."""

from collections.abc import Callable, Iterator, Sequence

from lather.core.errors import RequestError

_ANSWERS_IN = "5s"
_RETRIES = 3  # of a task whose worker went


def on_cluster(work: Callable, calls: Sequence[tuple], address: str) -> Iterator[tuple[int, dict]]:
    """(index, what `work(*call)` gave) as each is done. What a lost worker had begun is begun again by another.

    Raises RequestError where Dask is not installed, or nobody answers at the address.
    """
    try:
        from distributed import Client, as_completed
    except ImportError:
        raise RequestError("Work on a cluster needs an extra: pip install 'lather[cluster]'.") from None
    try:
        client = Client(address, timeout=_ANSWERS_IN)
    except (OSError, ValueError, TimeoutError):
        raise RequestError(f"No scheduler answers at {address}; start one with `dask scheduler`.") from None
    with client:
        futures = {client.submit(work, *call, key=f"lather-{index}-{call[2] or index}", retries=_RETRIES, pure=False):
                   index for index, call in enumerate(calls)}
        for future, value in as_completed(list(futures), with_results=True, raise_errors=False):
            index = futures[future]
            if isinstance(value, dict):
                yield index, value
            else:  # it went wrong on every worker that tried
                yield index, {"error": f"no worker could do it ({value})"[:300], "before": False, "seconds": 0.0}
            future.release()
