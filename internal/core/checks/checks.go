// Package checks runs the checks of all families on pages and sites. Each check stands in a file of its own,
// in the package of its family, and what runs them knows none by name.
package checks

import (
	"slices"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/checks/code"
	"yellowgate/internal/core/checks/gate"
	"yellowgate/internal/core/checks/head"
	"yellowgate/internal/core/checks/loading"
	"yellowgate/internal/core/checks/popups"
	"yellowgate/internal/core/checks/rendered"
	"yellowgate/internal/core/checks/server"
)

// All lists the checks, by family and name.
func All() []*check.Check { return all }

// Names lists the names of all checks.
func Names() []string {
	names := make([]string, len(all))
	for i, c := range all {
		names[i] = c.Name
	}
	return names
}

// Named returns the check of a name, or nil.
func Named(name string) *check.Check {
	for _, c := range all {
		if c.Name == name {
			return c
		}
	}
	return nil
}

var all = slices.Concat(head.Checks(), loading.Checks(), gate.Checks(), popups.Checks(), code.Checks(),
	rendered.Checks(), server.Checks())

// RunPage runs all checks on one page and returns its findings, and the facts that are to
// be kept of it.
func RunPage(p *check.Pass) ([]check.Finding, Facts) {
	template := p.Template()
	for _, c := range all {
		if c.Templates == template {
			p.Run(c)
		}
	}
	return p.Found(), factsOf(p)
}

// RunSite runs the checks of the whole site.
func RunSite(s *check.SitePass) []check.Finding {
	if s.Site == nil {
		s.Site = check.NewSite(check.Known{})
	}
	for _, c := range all {
		s.Run(c)
	}
	return s.Found()
}
