/** OTLP's protobuf encoding, brought into the shape of its JSON mapping (opentelemetry-proto, trace/v1). */
import protobuf from 'protobufjs'

/** The messages and fields that a take can use; others are passed over, as protobuf readers do. */
const { root } = protobuf.parse(`
  syntax = "proto3";
  message AnyValue { oneof value { string string_value = 1; bool bool_value = 2; int64 int_value = 3; double double_value = 4; } }
  message KeyValue { string key = 1; AnyValue value = 2; }
  message Resource { repeated KeyValue attributes = 1; }
  message Scope { string name = 1; }
  message Event { fixed64 time_unix_nano = 1; string name = 2; repeated KeyValue attributes = 3; }
  message Span {
    bytes span_id = 2;
    bytes parent_span_id = 4;
    string name = 5;
    fixed64 start_time_unix_nano = 7;
    fixed64 end_time_unix_nano = 8;
    repeated KeyValue attributes = 9;
    repeated Event events = 11;
  }
  message ScopeSpans { Scope scope = 1; repeated Span spans = 2; }
  message ResourceSpans { Resource resource = 1; repeated ScopeSpans scope_spans = 2; }
  message Request { repeated ResourceSpans resource_spans = 1; }
  message PartialSuccess { int64 rejected_spans = 1; string error_message = 2; }
  message Response { PartialSuccess partial_success = 1; }
`)
const Request = root.lookupType('Request')
const Response = root.lookupType('Response')

/** @throws Error when the bytes are not such a message */
export function decodeRequest(bytes: Uint8Array): unknown {
  return Request.toObject(Request.decode(bytes), { longs: String })
}

export function encodeResponse(response: object): Uint8Array {
  return Response.encode(Response.fromObject(response)).finish()
}
