package gateway

import (
	"context"
	"net/http/httptrace"
	"net/textproto"

	"github.com/zeebo/xxh3"
)

// early counts what comes before an answer.
func early(h *heard) context.Context {
	return httptrace.WithClientTrace(context.Background(), &httptrace.ClientTrace{Got1xxResponse: func(code int, _ textproto.MIMEHeader) error {
		if code != 100 {
			h.early++
		}
		return nil
	}})
}

func keyOf0(n int) xxh3.Uint128 { return xxh3.Uint128{Lo: uint64(n)} }
