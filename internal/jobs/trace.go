package jobs

import (
	"context"

	"go.opentelemetry.io/otel"
	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/codes"
	"go.opentelemetry.io/otel/trace"

	"harvik/internal/record"
)

// traced begins a span of the work on a crawl, which costs nothing where no traces are sent. Done ends it.
func traced(ctx context.Context, what string, rec record.Crawl) (_ context.Context, done func(err error)) {
	return spanned(ctx, what, attribute.String("harvik.site", rec.Site), attribute.Int("harvik.crawl", rec.Number),
		attribute.Int64("harvik.crawl.id", rec.ID), attribute.Int("harvik.epoch", rec.Epoch))
}

func spanned(ctx context.Context, what string, of ...attribute.KeyValue) (_ context.Context, done func(err error)) {
	ctx, span := otel.Tracer("harvik/internal/jobs").Start(ctx, what, trace.WithAttributes(of...))
	return ctx, func(err error) {
		if err != nil {
			span.SetStatus(codes.Error, err.Error())
		}
		span.End()
	}
}

// within does a part of the work on a crawl in a span of its own.
func within[T any](ctx context.Context, what string, rec record.Crawl, do func(context.Context) (T, error)) (T, error) {
	ctx, done := traced(ctx, what, rec)
	out, err := do(ctx)
	done(err)
	return out, err
}
