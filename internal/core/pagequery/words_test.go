package pagequery

import "testing"

func TestWords(t *testing.T) {
	for query, want := range map[string]string{
		"all":                                   "all pages",
		"none":                                  "no page",
		"/":                                     "the home page",
		"/visit":                                "the page /visit",
		"/book/** or /thanks/ or /":             "/book/ and all pages below it, the page /thanks/ and the home page",
		"/events/* and not /events/archive/":    "the pages right below /events/, but not the page /events/archive/",
		"not members":                           "all pages but the members pages",
		"not not members":                       "the members pages",
		"events and fact.kind = night and lang": "the events pages, those whose fact kind is “night” and with a language",
		"not has(form) and not /x/**/y":         "all pages, but not pages with an element form and pages whose address is like /x/**/y",
		"events and (members or /)":             "the events pages, those that are also among the members pages and the home page",
		"title ^= Old":                          "pages whose title begins with “Old”",
		"meta.author ~= Ada":                    "pages whose meta author has the word “Ada”",
		"query.p > 2":                           "pages whose parameter p is more than “2”",
		"status >= 500":                         "pages whose status code is at least “500”",
		"/**":                                   "all pages",
	} {
		x, err := Parse(query)
		if err != nil {
			t.Errorf("%s: %v", query, err)
		} else if got := Words(x); got != want {
			t.Errorf("%s: %s, want %s", query, got, want)
		}
	}
}
