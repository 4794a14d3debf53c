package gateway

import (
	"hash/maphash"
	"sync"

	"github.com/hashicorp/golang-lru/v2/simplelru"
)

// pageCache are gated pages, so that what has not changed is gated once; those that nobody asked for the
// longest go first.
type pageCache struct {
	most int64

	mu           sync.Mutex
	list         *simplelru.LRU[pageKey, *entry]
	bytes        int64
	hits, misses int64
}

// entry is one of them, and what it was coded into.
type entry struct {
	*gatedPage
	coded map[string][]byte
	size  int64
}

// A pageKey stands for all that a gated page depends on. It is made with seeds of this process: whoever
// writes into pages cannot make two that have one.
type pageKey [2]uint64

var keySeeds = [2]maphash.Seed{maphash.MakeSeed(), maphash.MakeSeed()}

// entryCost is about what an entry costs besides its texts.
const entryCost = 400

func newPageCache(most int64) *pageCache {
	k := &pageCache{most: most}
	k.list, _ = simplelru.NewLRU(1<<30, func(_ pageKey, p *entry) { k.bytes -= p.size })
	return k
}

func (k *pageCache) get(key pageKey) *gatedPage {
	k.mu.Lock()
	defer k.mu.Unlock()
	if p, ok := k.list.Get(key); ok {
		k.hits++
		return p.gatedPage
	}
	k.misses++
	return nil
}

func (k *pageCache) put(m *gatedPage) {
	size := int64(len(m.text)+len(m.detail)) + entryCost
	if size > k.most/4 || m.why == passedFault {
		return
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	k.list.Remove(m.key)
	k.list.Add(m.key, &entry{gatedPage: m, size: size})
	k.bytes += size
	k.fit()
}

// fit lets the oldest go until the rest has room. The mutex is held.
func (k *pageCache) fit() {
	for k.bytes > k.most && k.list.Len() > 0 {
		k.list.RemoveOldest()
	}
}

// coded is a page in a coding, which is made once while the page is kept.
func (k *pageCache) coded(m *gatedPage, coding string) ([]byte, error) {
	k.mu.Lock()
	if p, ok := k.list.Peek(m.key); ok && p.gatedPage == m && p.coded[coding] != nil {
		b := p.coded[coding]
		k.mu.Unlock()
		return b, nil
	}
	k.mu.Unlock()
	b, err := encoded(m.text, coding)
	if err != nil {
		return nil, err
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	if p, ok := k.list.Peek(m.key); ok && p.gatedPage == m && p.coded[coding] == nil {
		if p.coded == nil {
			p.coded = map[string][]byte{}
		}
		p.coded[coding] = b
		p.size += int64(len(b))
		k.bytes += int64(len(b))
		k.fit()
	}
	return b, nil
}

// counts says how many bytes and pages are kept, and how often one was there.
func (k *pageCache) counts() (bytes int64, pages int, hits, misses int64) {
	k.mu.Lock()
	defer k.mu.Unlock()
	return k.bytes, k.list.Len(), k.hits, k.misses
}
