"""How often something may happen: a bucket that fills at a steady rate (a token bucket). Pure."""

from dataclasses import dataclass


@dataclass(slots=True)
class _Bucket:
    left: float
    at: float


class RateLimit:
    """One bucket a subject. Subjects whose bucket is full again are forgotten, so that what is kept is
    bounded by `subjects`: beyond those, the ones heard of longest ago go first."""

    def __init__(self, *, burst: int, per_second: float, subjects: int = 10_000) -> None:
        self._burst = burst
        self._per_second = per_second
        self._subjects = subjects
        self._buckets: dict[str, _Bucket] = {}

    def allows(self, subject: str, now: float) -> bool:
        """Whether it may happen once more; then it counts. `now`: seconds of a monotonic clock."""
        return self.acquire(subject, 1, now) == 1

    def acquire(self, subject: str, wanted: int, now: float) -> int:
        """How many of `wanted` are allowed; those count."""
        left = self.left(subject, now)
        granted = min(wanted, int(left))
        if granted:
            self._put(subject, _Bucket(left - granted, now))
        return granted

    def left(self, subject: str, now: float) -> float:
        bucket = self._buckets.get(subject)
        if bucket is None:
            return float(self._burst)
        return min(float(self._burst), bucket.left + (now - bucket.at) * self._per_second)

    def wait_s(self, subject: str, now: float) -> float:
        """Seconds until it is allowed again; 0 when it is."""
        return max(0.0, (1 - self.left(subject, now)) / self._per_second)

    def _put(self, subject: str, bucket: _Bucket) -> None:
        self._buckets.pop(subject, None)
        self._buckets[subject] = bucket
        if len(self._buckets) > self._subjects:
            del self._buckets[next(iter(self._buckets))]
