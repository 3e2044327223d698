package meter

import (
	"context"
	"os"

	"go.opentelemetry.io/otel"
	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/exporters/otlp/otlptrace/otlptracehttp"
	"go.opentelemetry.io/otel/sdk/resource"
	"go.opentelemetry.io/otel/sdk/trace"

	"harvik/internal/core/version"
)

// Trace sends traces to where OTEL_EXPORTER_OTLP_ENDPOINT or OTEL_EXPORTER_OTLP_TRACES_ENDPOINT says, by OTLP over
// HTTP, and nowhere if neither says anything. Stop sends what has not been sent.
func Trace(ctx context.Context) (stop func(context.Context), err error) {
	if os.Getenv("OTEL_EXPORTER_OTLP_ENDPOINT") == "" && os.Getenv("OTEL_EXPORTER_OTLP_TRACES_ENDPOINT") == "" {
		return func(context.Context) {}, nil
	}
	exporter, err := otlptracehttp.New(ctx)
	if err != nil {
		return nil, err
	}
	about, err := resource.Merge(resource.Default(), resource.NewSchemaless(
		attribute.String("service.name", "harvik"), attribute.String("service.version", version.Number)))
	if err != nil {
		return nil, err
	}
	p := trace.NewTracerProvider(trace.WithBatcher(exporter), trace.WithResource(about))
	otel.SetTracerProvider(p)
	return func(ctx context.Context) { _ = p.Shutdown(ctx) }, nil // what cannot be sent is lost
}
