"""Traces, sent to a collector that understands what it is sent."""

from pathlib import Path

from opentelemetry.proto.collector.trace.v1.trace_service_pb2 import ExportTraceServiceRequest
from opentelemetry.proto.trace.v1.trace_pb2 import Span

from kiteroll.client import add_switch, switch
from kiteroll.client.errors import ServiceError
from tests.support.harness import Lab, NewService, read_again
from tests.support.receivers import ARRIVES_S, WebhookReceiver

ERROR = 2


def test_calls_and_readings_are_traced_where_a_collector_is_named(
    lab: Lab, new_service: NewService, tmp_path: Path
) -> None:
    collector = WebhookReceiver()
    file = tmp_path / "kiteroll.toml"
    endpoint = f"http://127.0.0.1:{collector.port}/v1/traces"
    file.write_text(f'[traces]\nendpoint = "{endpoint}"\nheaders = {{ x-key = "tarn" }}\n')
    service = new_service(extra=("--config", str(file)), environment={"OTEL_BSP_SCHEDULE_DELAY": "200"})
    with service.client() as client:
        client.send(add_switch(lab.new_switch("quay-1")))
        read_again(client, "quay-1")
        try:
            client.send(switch("nowhere"))
        except ServiceError as unknown:
            assert unknown.status == 404
    assert service.end() == 0
    spans: list[Span] = []
    while not {"reading", "add_switch", "get_switch"} <= {span.name for span in spans}:
        headers, body = collector.got.get(timeout=ARRIVES_S)
        assert headers["x-key"] == "tarn"
        for resource in ExportTraceServiceRequest.FromString(body).resource_spans:
            spans += [span for scope in resource.scope_spans for span in scope.spans]
    collector.close()
    reading = next(span for span in spans if span.name == "reading")
    parts = {span.name for span in spans if span.parent_span_id == reading.span_id}
    assert parts == {"collect", "store"}
    assert {one.key: one.value.string_value for one in reading.attributes} == {"switch": "quay-1"}
    assert all(span.status.code != ERROR for span in spans), (
        "what was asked wrongly is no fault of the service"
    )
