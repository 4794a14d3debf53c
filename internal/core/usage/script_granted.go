package usage

import (
	"bytes"
	"slices"

	"github.com/tdewolff/parse/v2/js"

	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/syntax"
)

// Which elements a script takes for granted: it looks for one by its id, uses what it got in the same breath,
// and fails where the page has none (getElementById then gives null: DOM, 4.2.4).

// granting goes through what a script surely runs, in order, until it may have left.
type granting struct {
	*walker
	ids  *[]string
	left *bool // behind a return or throw that only a condition stands before
}

func (v granting) Exit(js.INode) {}

func (v granting) Enter(n js.INode) js.IVisitor {
	if *v.left {
		return nil
	}
	switch n := n.(type) {
	case *js.FuncDecl, *js.ArrowFunc, *js.MethodDecl, *js.ClassDecl:
		return nil
	case *js.IfStmt, *js.SwitchStmt, *js.WhileStmt, *js.DoWhileStmt, *js.ForStmt, *js.ForInStmt, *js.ForOfStmt,
		*js.TryStmt, *js.LabelledStmt, *js.WithStmt, *js.ReturnStmt, *js.ThrowStmt, *js.BranchStmt:
		js.Walk(leaving{v.left}, n)
		return nil
	case *js.CondExpr:
		js.Walk(v, n.Cond)
		return nil
	case *js.BinaryExpr:
		if n.Op == js.AndToken || n.Op == js.OrToken || n.Op == js.NullishToken {
			js.Walk(v, n.X)
			return nil
		}
	case *js.CallExpr:
		if n.Optional {
			return nil
		}
		if f := inPlace(n.X); f != nil && !failsLater(f) {
			syntax.WalkBody(v, f)
			return nil
		}
	case *js.DotExpr:
		if id := v.lookedFor(n.X); id != "" && !n.Optional {
			note(v.ids, id)
		}
	}
	return v
}

// lookedFor is the id by which an expression looks for an element: the call, or a variable that has what it gave.
func (v granting) lookedFor(n js.INode) string {
	n = ungroup(n)
	if x, ok := n.(*js.Var); ok && v.constants[same(x)] != nil && !v.changed[same(x)] {
		n = ungroup(v.constants[same(x)])
	}
	call, ok := n.(*js.CallExpr)
	if !ok || len(call.Args.List) != 1 {
		return ""
	}
	method, ok := call.X.(*js.DotExpr)
	if !ok || text(method.Y) != "getElementById" || v.stands(method.X) != "document" {
		return ""
	}
	id, _ := v.literal(call.Args.List[0].Value)
	words := map[string]bool{}
	identifierWords(id, words)
	if !words[id] {
		return "" // whether another script has it among its texts, nobody could tell
	}
	return id
}

// leaving finds out whether a statement may leave what it stands in.
type leaving struct{ left *bool }

func (v leaving) Exit(js.INode) {}

func (v leaving) Enter(n js.INode) js.IVisitor {
	switch n.(type) {
	case *js.FuncDecl, *js.ArrowFunc, *js.MethodDecl:
		return nil
	case *js.ReturnStmt, *js.ThrowStmt, *js.BranchStmt:
		*v.left = true
	}
	return v
}

// granted lists the ids of the elements that a script takes for granted as it is run. An id that the script
// mentions in any other way is none: it may ask for the element before, or make it.
func (w *walker) granted(ast *js.AST, code []byte) (out []string) {
	left := false
	js.Walk(granting{w, &out, &left}, ast)
	return slices.DeleteFunc(out, func(id string) bool {
		return bytes.Count(code, []byte(id)) != bytes.Count(code, []byte(`getElementById("`+id+`")`))+
			bytes.Count(code, []byte("getElementById('"+id+"')"))
	})
}

// Absent is an element that a script of a page takes for granted, and that is not there.
type Absent struct {
	Element int    // of the record: the script
	In      string // the file that uses it, if it is one that the script brings
	ID      string
	At      int // where it stands further down; -1 where nothing on the page has the id
}

// Absent lists the elements that the scripts of a page take for granted and that are not there when they run.
// It is silent from the first script on that cannot be read, for that one may make them.
func (l *Library) Absent(r *inventory.Record) (out []Absent) {
	var before []*Script // that have run
	ids := elements{r: r}
	made := func(id string) bool {
		return slices.ContainsFunc(before, func(s *Script) bool { return s.Words[id] })
	}
	for i := range r.Elements {
		if e := &r.Elements[i]; e.IsScript() && e.Inside == "" && e.Runs == "async" {
			return nil // it comes whenever it comes
		}
	}
	for _, waits := range []bool{false, true} {
		for i := range r.Elements {
			e := &r.Elements[i]
			if !e.IsScript() || e.Inside != "" || (e.Runs != "blocking") != waits {
				continue
			}
			list, files, whole := l.scriptsOf(r, e)
			if !whole || len(e.Brings) > 0 {
				return out
			}
			for k, s := range list {
				for _, id := range s.Granted { // the first one that is not there ends the script
					at := ids.at(id)
					if made(id) || at >= 0 && (waits || at <= e.El.Start) {
						continue
					}
					out = append(out, Absent{i, files[k], id, at})
					break
				}
				if len(s.Unknown.Loads) > 0 {
					return out
				}
			}
			before = append(before, list...)
		}
	}
	return out
}

// elements finds the elements of a page by their ids.
type elements struct {
	r     *inventory.Record
	asked int
	first map[string]int // where the start tag of the first one with each id stands, once many were asked for
}

// fewIDs is how many ids are looked for one by one: mostly a script asks for one, that stands near.
const fewIDs = 4

// at is where the start tag of the first element with an id stands; -1 for none.
func (x *elements) at(id string) int {
	if x.asked++; x.asked > fewIDs && x.first == nil {
		x.first = map[string]int{}
		x.each("", func(id string, at int) bool {
			if _, known := x.first[id]; !known {
				x.first[id] = at
			}
			return true
		})
	}
	found := -1
	if x.first == nil {
		x.each(id, func(is string, at int) bool {
			if is == id {
				found = at
			}
			return found < 0
		})
	} else if at, ok := x.first[id]; ok {
		found = at
	}
	return found
}

// each yields the ids of the start tags that have a text in them.
func (x *elements) each(having string, yield func(id string, at int) bool) {
	for _, t := range x.r.Scan.Tags {
		if bytes.Contains(x.r.Source.Text[t.NameEnd:t.End], []byte(having)) {
			if id, ok := x.r.Source.Attr(int(t.Start), "id"); ok && !yield(id, int(t.Start)) {
				return
			}
		}
	}
}
