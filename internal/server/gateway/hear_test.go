package gateway

import (
	"context"
	"net/http/httptrace"
	"net/textproto"
)

// early counts what comes before an answer.
func early(h *heard) context.Context {
	hear := func(code int, _ textproto.MIMEHeader) error {
		if code != 100 {
			h.early++
		}
		return nil
	}
	return httptrace.WithClientTrace(context.Background(), &httptrace.ClientTrace{Got1xxResponse: hear})
}

func keyOf0(n int) pageKey { return pageKey{uint64(n)} }
