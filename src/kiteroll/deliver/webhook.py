"""Webhook: a POST, signed so that the receiver knows who it comes from.

The signature is an HMAC-SHA256 (RFC 2104) over the time stamp, a dot, and the body: whoever checks the time
stamp too cannot be sent the same thing again by somebody who listened.
"""

import hashlib
import hmac
import json
from dataclasses import dataclass, field
from string import Template
from typing import Any

import httpx

from kiteroll.deliver.delivery import TIMEOUT_S, Delivery, NotDelivered
from kiteroll.deliver.tls import client_context


def signature(secret: str, timestamp: str, body: bytes) -> str:
    signed = hmac.new(secret.encode(), timestamp.encode() + b"." + body, hashlib.sha256)
    return f"sha256={signed.hexdigest()}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Webhook:
    url: str
    secret: str = field(default="", repr=False)
    """Empty: not signed."""
    template: str = ""
    """Text with $subject, $text, $count, $severity, $reason, $kind, $title, $switch, $port, $mac, $link;
    empty: the JSON document."""
    content_type: str = "application/json"
    ca_file: str = ""

    def send(self, delivery: Delivery) -> None:
        """Raises NotDelivered."""
        body, stamp = self.body(delivery), str(round(delivery.at.timestamp()))
        headers = {
            "Content-Type": self.content_type,
            "User-Agent": "kiteroll",
            "Kiteroll-Delivery": delivery.id,
            "Kiteroll-Timestamp": stamp,
        }
        if self.secret:
            headers["Kiteroll-Signature"] = signature(self.secret, stamp, body)
        try:
            with httpx.Client(
                timeout=TIMEOUT_S, verify=client_context(self.ca_file), follow_redirects=False
            ) as client:
                answer = client.post(self.url, content=body, headers=headers)
        except (httpx.HTTPError, httpx.InvalidURL, OSError) as wrong:
            raise NotDelivered(f"{self.url}: {str(wrong) or type(wrong).__name__}") from wrong
        if not answer.is_success:
            raise NotDelivered(f"{self.url}: answers {answer.status_code}: {answer.text[:200]!r}")

    def body(self, delivery: Delivery) -> bytes:
        if not self.template:
            return json.dumps(delivery.document(), ensure_ascii=False).encode()
        first = delivery.messages[0]
        values: dict[str, Any] = {
            name: first.content.get(name) or ""
            for name in ("reason", "kind", "title", "switch", "port", "mac", "link")
        }
        values |= {
            "subject": delivery.subject,
            "text": "\n".join(one.line for one in delivery.messages),
            "count": len(delivery.messages),
            "severity": first.severity,
        }
        if "json" in self.content_type:  # what is put in stays inside of its quotes
            values = {
                name: json.dumps(str(value), ensure_ascii=False)[1:-1] for name, value in values.items()
            }
        return Template(self.template).safe_substitute(values).encode()
