// Package textsearch looks for many texts in a page at once.
package textsearch

import (
	"bytes"
	"encoding/binary"
)

// A Search looks for many texts in one page at once: its cost grows with the
// page's bytes, not with those times the number of texts. It samples the page's
// bytes, and compares where a sample is one that a text holds: long texts by every
// fourth byte, shorter ones by every second.
type Search struct {
	long, middle sieve
	short        []int // texts too short to be sampled
	texts        [][]byte
}

// A sieve finds texts by samples of a page.
type sieve struct {
	bits   [256]uint64 // which samples may be of a text
	probes map[uint64][]probe
}

type probe struct{ text, offset int }

// Bytes that are compared at once, and bytes of the page between samples.
const (
	longSample, longStride     = 8, 4
	middleSample, middleStride = 4, 2
)

func bit(v uint64) (word, mask uint64) {
	h := v * 0x9E3779B97F4A7C15 >> 50
	return h >> 6, 1 << (h & 63)
}

// Add adds a text.
func (s *Search) Add(text []byte) {
	n := len(s.texts)
	s.texts = append(s.texts, text)
	switch {
	case len(text) >= longSample+longStride-1:
		s.long.add(n, text, longSample, longStride)
	case len(text) >= middleSample+middleStride-1:
		s.middle.add(n, text, middleSample, middleStride)
	default:
		s.short = append(s.short, n)
	}
}

func (s *sieve) add(n int, text []byte, sample, stride int) {
	if s.probes == nil {
		s.probes = map[uint64][]probe{}
	}
	from := (len(text) - sample - stride + 1) / 2
	for i := from; i < from+stride; i++ {
		v := uint64(binary.LittleEndian.Uint32(text[i:]))
		if sample == longSample {
			v = binary.LittleEndian.Uint64(text[i:])
		}
		w, m := bit(v)
		s.bits[w] |= m
		s.probes[v] = append(s.probes[v], probe{n, i})
	}
}

// Run returns where each text stands in the page, in order, without overlaps.
func (s *Search) Run(src []byte) [][]int {
	at := make([][]int, len(s.texts))
	compare := func(i int, probes []probe) {
		for _, p := range probes {
			from, text := i-p.offset, s.texts[p.text]
			if from < 0 || from+len(text) > len(src) || !bytes.Equal(src[from:from+len(text)], text) {
				continue
			}
			if k := len(at[p.text]); k == 0 || from >= at[p.text][k-1]+len(text) {
				at[p.text] = append(at[p.text], from)
			}
		}
	}
	if len(s.long.probes) > 0 {
		for i := 0; i+longSample <= len(src); i += longStride {
			v := binary.LittleEndian.Uint64(src[i:])
			if w, m := bit(v); s.long.bits[w]&m != 0 {
				compare(i, s.long.probes[v])
			}
		}
	}
	if len(s.middle.probes) > 0 {
		for i := 0; i+middleSample <= len(src); i += middleStride {
			v := uint64(binary.LittleEndian.Uint32(src[i:]))
			if w, m := bit(v); s.middle.bits[w]&m != 0 {
				compare(i, s.middle.probes[v])
			}
		}
	}
	for _, n := range s.short {
		text := s.texts[n]
		for from := 0; len(text) > 0; {
			i := bytes.Index(src[from:], text)
			if i < 0 {
				break
			}
			at[n] = append(at[n], from+i)
			from += i + len(text)
		}
	}
	return at
}
