package presence

import (
	"bytes"
	"encoding/binary"
)

// A search looks for many texts in one page at once: its cost grows with the
// page's bytes, not with those times the number of texts. It samples the page at
// every fourth byte for eight bytes that one of the texts holds, and compares.
type search struct {
	bits   [256]uint64 // which samples may be of a text
	probes map[uint64][]probe
	short  []int // texts too short to be sampled
	texts  [][]byte
}

type probe struct{ text, offset int }

const (
	sample = 8 // bytes compared at once
	stride = 4 // of the page's bytes between samples
)

func bit(v uint64) (word, mask uint64) {
	h := v * 0x9E3779B97F4A7C15 >> 50
	return h >> 6, 1 << (h & 63)
}

// add adds a text.
func (s *search) add(text []byte) {
	n := len(s.texts)
	s.texts = append(s.texts, text)
	if len(text) < sample+stride-1 {
		s.short = append(s.short, n)
		return
	}
	if s.probes == nil {
		s.probes = map[uint64][]probe{}
	}
	from := (len(text) - sample - stride + 1) / 2
	for i := from; i < from+stride; i++ {
		v := binary.LittleEndian.Uint64(text[i:])
		w, m := bit(v)
		s.bits[w] |= m
		s.probes[v] = append(s.probes[v], probe{n, i})
	}
}

// run returns where each text stands in the page, in order, without overlaps.
func (s *search) run(src []byte) [][]int {
	at := make([][]int, len(s.texts))
	if len(s.probes) > 0 {
		for i := 0; i+sample <= len(src); i += stride {
			v := binary.LittleEndian.Uint64(src[i:])
			if w, m := bit(v); s.bits[w]&m == 0 {
				continue
			}
			for _, p := range s.probes[v] {
				from, text := i-p.offset, s.texts[p.text]
				if from < 0 || from+len(text) > len(src) || !bytes.Equal(src[from:from+len(text)], text) {
					continue
				}
				if k := len(at[p.text]); k == 0 || from >= at[p.text][k-1]+len(text) {
					at[p.text] = append(at[p.text], from)
				}
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
