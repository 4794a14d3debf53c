package report

import (
	"encoding/base64"
	"fmt"

	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/wording"
)

// What a browser made of pages, in the report.

// htmlVisit is one visit: its requests as a tree and as a waterfall.
type htmlVisit struct {
	Screen   string        `json:"screen"`
	Unread   string        `json:"unread,omitempty"`
	Measured string        `json:"measured"`
	Requests []htmlRequest `json:"requests"`
	Picture  string        `json:"picture,omitempty"` // as a data: URL
}

// htmlRequest is a line of the waterfall. From and Wide are percent of the visit's time.
type htmlRequest struct {
	What   string  `json:"what"`
	Deep   int     `json:"deep"`
	Answer string  `json:"answer"`
	Bad    bool    `json:"bad,omitempty"`
	Wire   string  `json:"wire"`
	Took   string  `json:"took"`
	From   float64 `json:"from"`
	Wide   float64 `json:"wide"`
	Item   string  `json:"item"`
}

// visitsOf are the visits by the paths of their pages.
func visitsOf(records []*pageload.Record) map[string][]htmlVisit {
	out := map[string][]htmlVisit{}
	for _, r := range records {
		out[r.Path] = append(out[r.Path], visitOf(r))
	}
	return out
}

func visitOf(r *pageload.Record) htmlVisit {
	v := htmlVisit{Screen: r.Screen, Unread: Clean(r.Unread), Requests: []htmlRequest{}}
	if r.Unread != "" {
		return v
	}
	if len(r.Picture) > 0 {
		v.Picture = "data:image/jpeg;base64," + base64.StdEncoding.EncodeToString(r.Picture)
	}
	m := &r.Measured
	v.Measured = fmt.Sprintf(
		"%s, %s over the wire. First paint after %.0f ms, largest after %.0f ms%s, layout shift %.3f, scripts "+
			"blocked for %.0f ms, %s.", wording.Count(len(r.Requests), "request"), wording.Size(r.Wire()),
		m.FirstPaint, m.LargestPaint, ofElement(m.LargestIs), m.Shift, m.Blocking, wording.Count(m.Nodes, "element"))
	end := max(m.Loaded, m.LargestPaint, 1)
	for i := range r.Requests {
		end = max(end, r.Requests[i].Ended)
	}
	r.Tree(func(i, deep int) {
		x := &r.Requests[i]
		answer, bad := answerOf(x)
		q := htmlRequest{
			What:   Clean(x.Target),
			Deep:   deep,
			Answer: Clean(answer),
			Bad:    bad,
			Wire:   wording.Size(x.Wire),
			From:   x.Begun / end * 100,
			Item:   x.Item,
		}
		if x.Ended > 0 {
			q.Took, q.Wide = fmt.Sprintf("%.0f", x.Ended-x.Begun), (x.Ended-x.Begun)/end*100
		}
		v.Requests = append(v.Requests, q)
	})
	return v
}

// answerOf says how a request was answered.
func answerOf(x *pageload.Request) (text string, bad bool) {
	switch {
	case x.Failed == pageload.NotCalled:
		return "not called", false
	case x.Failed != "":
		return x.Failed, true
	case x.Status == 0:
		return "", false
	}
	return fmt.Sprint(x.Status), x.Status >= 400
}

// sumsOf are the requests of all visits, what came over the wire and the largest paint in the middle.
func sumsOf(records []*pageload.Record) (requests int, wire, paint string) {
	s := pageload.SumOf(records)
	if s == nil {
		return 0, wording.Size(0), "–"
	}
	if paint = "–"; s.Paint > 0 {
		paint = fmt.Sprintf("%.0f ms", s.Paint)
	}
	return s.Requests, wording.Size(s.Wire), paint
}
