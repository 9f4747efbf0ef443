"""Mail (RFC 5322) by SMTP (RFC 5321), with STARTTLS (RFC 3207) or TLS from the start (RFC 8314)."""

import logging
import smtplib
from dataclasses import dataclass, field
from email.message import EmailMessage
from email.utils import format_datetime

from kiteroll.deliver.delivery import TIMEOUT_S, Delivery, NotDelivered
from kiteroll.deliver.tls import client_context

log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True, kw_only=True)
class Mail:
    host: str
    port: int
    security: str
    """starttls, tls or none."""
    sender: str
    recipients: tuple[str, ...]
    user: str = ""
    secret: str = field(default="", repr=False)
    """The password of `user`."""
    ca_file: str = ""

    def send(self, delivery: Delivery) -> None:
        """Raises NotDelivered."""
        try:
            with self._connect() as server:
                if self.security == "starttls":
                    server.starttls(context=client_context(self.ca_file))
                if self.user:
                    server.login(self.user, self.secret)
                refused = server.send_message(self.message(delivery), self.sender, list(self.recipients))
        except smtplib.SMTPNotSupportedError as wrong:
            raise NotDelivered(f"{self._where}: {wrong}: choose another security for it") from wrong
        except (smtplib.SMTPException, OSError) as wrong:
            raise NotDelivered(f"{self._where}: {_error_text(wrong)}") from wrong
        if refused:  # the others have it, and sending again would send it to them twice
            log.warning(
                "a mail was not taken for some of its recipients",
                extra={"event": "mail.refused", "recipients": sorted(refused)},
            )

    def message(self, delivery: Delivery) -> EmailMessage:
        made = EmailMessage()
        made["From"] = self.sender
        made["To"] = ", ".join(self.recipients)
        made["Subject"] = " ".join(f"[Kite Roll] {delivery.subject}".split())[:250]
        made["Date"] = format_datetime(delivery.at)
        made["Message-ID"] = f"<{delivery.id}@{delivery.service}>"
        made["Auto-Submitted"] = "auto-generated"  # RFC 3834: nobody's holiday answer is wanted
        texts = [one.text for one in delivery.messages]
        if delivery.possibly_repeated:
            texts.insert(0, "The service ended while this was being sent: it may have arrived before.")
        made.set_content("\n\n--\n\n".join(texts) + "\n")
        return made

    def _connect(self) -> smtplib.SMTP:
        if self.security == "tls":
            context = client_context(self.ca_file)
            return smtplib.SMTP_SSL(self.host, self.port, timeout=TIMEOUT_S, context=context)
        return smtplib.SMTP(self.host, self.port, timeout=TIMEOUT_S)

    @property
    def _where(self) -> str:
        return f"mail server {self.host}:{self.port}"


def _error_text(wrong: Exception) -> str:
    if isinstance(wrong, smtplib.SMTPResponseException):
        answer = wrong.smtp_error
        text = answer.decode(errors="replace") if isinstance(answer, bytes) else str(answer)
        return f"answers {wrong.smtp_code} {text}"
    if isinstance(wrong, smtplib.SMTPRecipientsRefused):
        return f"takes nothing for {', '.join(wrong.recipients)}"
    return str(wrong) or type(wrong).__name__
