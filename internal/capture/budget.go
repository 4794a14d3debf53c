package capture

// What a run may take. A site can lead on without end: by redirects, by stylesheets that import one
// another, by sitemaps that unfold to gigabytes. --most and --depth count pages alone.

// mostHops is how many redirects are followed one after another (Fetch, HTTP-redirect fetch).
const mostHops = 20

// A budget is what is left of it.
type budget struct {
	requests, addresses, listed int
	bytes                       int64
	spent                       string // what was reached first
}

// budgetOf is the budget of a run that keeps at most so many pages, 0 for any number; alone of one page.
func budgetOf(most int, alone bool) budget {
	b := budget{requests: 10_000_000, addresses: 4_000_000, listed: 512 << 20, bytes: 1 << 40}
	switch {
	case alone:
		b = budget{requests: 1_000, addresses: 10_000, listed: 0, bytes: 256 << 20}
	case most > 0:
		b.requests = min(b.requests, 1_000+50*most)
		b.addresses = min(b.addresses, 10_000+200*most)
		b.listed = min(b.listed, 64<<20+most*(64<<10))
		b.bytes = min(b.bytes, 256<<20+int64(most)*(4<<20))
	}
	return b
}

func (b *budget) over(what string) bool {
	if b.spent == "" {
		b.spent = what
	}
	return false
}

// request takes one request.
func (b *budget) request() bool {
	if b.requests == 0 {
		return b.over("too many requests")
	}
	b.requests--
	return true
}

// address takes room for one more address.
func (b *budget) address() bool {
	if b.addresses == 0 {
		return b.over("too many addresses")
	}
	b.addresses--
	return true
}

// keep takes room for a body.
func (b *budget) keep(bytes int64) bool {
	if bytes > b.bytes {
		return b.over("too many bytes")
	}
	b.bytes -= bytes
	return true
}

// list takes a piece of a sitemap, of so many bytes without its coding.
func (b *budget) list(bytes int) bool {
	if bytes > b.listed {
		return b.over("sitemaps are too large")
	}
	b.listed -= bytes
	return true
}
