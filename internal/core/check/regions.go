package check

import "yellowgate/internal/core/markup"

// The code of items stands in the marked regions of pages. Check and apply refuse what
// it may not be in the gate file; the checks that look at these regions find it where
// somebody changed the output by hand, or another tool did.

// ItemRegions lists the marked regions of the page's items.
func (p *Pass) ItemRegions() []markup.Region {
	if !p.regionsSet {
		p.regions, p.regionsSet = p.Scan.Regions(), true
	}
	return p.regions
}

// EachRegion visits the marked regions of the page's items.
func (p *Pass) EachRegion(visit func(r markup.Region, text []byte)) {
	for _, r := range p.ItemRegions() {
		visit(r, p.Source.Text[r.Content.Start:r.Content.End])
	}
}

// RegionAt is the marked region at an offset, or nil.
func (p *Pass) RegionAt(offset int) *markup.Region {
	for _, r := range p.ItemRegions() {
		if r.Content.Start <= offset && offset < r.Content.End {
			return &r
		}
	}
	return nil
}

// InRegion adds a finding at an offset of a marked region's content.
func (p *Pass) InRegion(r markup.Region, at int, message, remedy string) {
	line, col := p.Locate(r.Content.Start + at)
	p.Report(line, col, r.Name, message, remedy)
}
