package browser_test

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"yellowgate/internal/clitest"
	"yellowgate/internal/testsize"
)

// What a text proves of a stylesheet, held against a browser: for every idiom a page of its own with a stylesheet of
// its own. Where suggest is certain that the page does not need it, nothing looks otherwise without it.

// An idiom is a stylesheet, what stands in the body of the page that loads it, and a script of the page.
type idiom struct{ css, body, script string }

// unneeded are idioms of which the text proves that the page does not need the stylesheet.
var unneeded = []idiom{
	{css: ".gone{color:red}"}, {css: "#gone{color:red}"}, {css: "article{color:red}"}, {css: "[data-gone]{color:red}"},
	{css: ".gone:hover,.gone::before{content:'x'}"}, {css: ".gone .here{color:red}", body: "<p class=here>a</p>"},
	{css: ".here .gone{color:red}", body: "<p class=here>a</p>"}, {css: "h1+h2{color:red}", body: "<h2>a</h2><h1>b</h1>"},
	{css: ".here>p{color:red}", body: "<div class=here><b><p>a</p></b></div>"}, {css: "p p{color:red}", body: "<p>a<p>b"},
	{css: "table>tr{color:red}", body: "<table><tr><td>a</table>"}, {css: "ul>ul{color:red}", body: "<ul><li>a<li>b</ul>"},
	{css: "@media (min-width:1px){.gone{color:red}}"}, {css: "@supports (color:red){@media print{.gone{color:red}}}"},
	{css: ".gone{animation:spin 1s}@keyframes spin{to{color:red}}", body: "<p>a</p>"},
	{css: ".gone{font-family:kit}@font-face{font-family:kit;src:url(/k.woff2)}", body: "<p>a</p>"},
	{css: ".gone{list-style:kit}@counter-style kit{system:cyclic;symbols:x}", body: "<ul><li>a</ul>"},
	{css: ".gone{& .here{color:red}}", body: "<p class=here>a</p>"}, {css: "[open]{color:red}", body: "<p>a</p>"},
	{css: "dialog::backdrop{color:red}", body: "<p>a</p>"}, {css: "td>table{color:red}", body: "<table><td>a</table>"},
	{css: "form form{color:red}", body: "<form><form><p>a</form>"}, {css: "a a{color:red}",
		body: "<a href=/>a<a href=/>b</a>"},
	{css: "table div{color:red}", body: "<table><div>a</div></table>"}, {css: "button button{color:red}",
		body: "<button>a<button>b"},
	{css: "@charset 'utf-8';@namespace url(http://www.w3.org/1999/xhtml);.gone{color:red}"},
	{css: ":root{--gone:red}.gone{color:red}", body: "<p>a</p>"}, {css: "li li{color:red}", body: "<li>a<li>b"},
	{css: "h1 h2{color:red}", body: "<h1>a<h2>b"}, {css: "b p b{color:red}", body: "<b>a<p>b</b>c"},
	{css: "p:empty{color:red}", body: "<p>a"}, {css: "p:only-child{color:red}", body: "<p>a<p>b"},
}

// doubtful are idioms in which the page needs the stylesheet, or may, at some time, by some visitor, or in some
// browser.
var doubtful = []idiom{
	// What the visitor and the browser bring about.
	{css: "details[open] p{color:red}", body: "<details><summary>a</summary><p>b</details>"},
	{css: "[open]>p{color:red}", body: "<details><summary>a</summary><p>b</details>"},
	{css: "dialog[open]{color:red}", body: "<button command=show-modal commandfor=d>a</button><dialog id=d>b</dialog>"},
	{css: "p:target{color:red}", body: "<a href=#t>a</a><p id=t>b"},
	{css: "[hidden]:not([hidden]),p:not([hidden]){color:red}", body: "<p hidden=until-found>b"},
	{css: "font{color:red}", body: "<p>a"}, {css: ".translated-ltr body{color:red}", body: "<p>a"},
	{css: "b{color:red}", body: "<p contenteditable>a"}, {css: "a .on{color:red}",
		body: "<svg><a><set attributeName=class to=on /></a></svg>"},
	{css: ".on{fill:red}", body: "<svg><rect><animate attributeName=class values=on dur=1s /></rect></svg>"},
	{css: "noscript p,.plain{color:red}", body: "<noscript><p class=plain>a</noscript>"},
	{css: ".x{color:red}", body: "<div><template shadowrootmode=open><p class=x>a</template></div>"},
	{css: ".x{color:red}", body: "<iframe srcdoc=\"<script>parent.document.body.className='x'</script>\"></iframe>"},
	{css: ".x{color:red}", body: "<object data=/frame.html></object>"}, {css: ".x{color:red}",
		body: "<iframe src=/frame.html></iframe>"},
	{css: "selectedcontent .x{color:red}",
		body: "<select><button><selectedcontent></selectedcontent></button><option><b class=x>a</b></select>"},
	{css: "select div{color:red}", body: "<select><div><option>a</div></select>"},
	// What a parser brings about.
	{css: "table>tbody{color:red}", body: "<table><tr><td>a</table>"}, {css: "tbody td{color:red}",
		body: "<table><td>a</table>"},
	{css: "colgroup{color:red}", body: "<table><col><tr><td>a</table>"}, {css: "img{border:1px solid}",
		body: "<image alt=a>"},
	{css: "p{color:red}", body: "a</p>b"}, {css: "br+b{color:red}", body: "a</br><b>c</b>"}, {css: "p+p{color:red}",
		body: "<p>a<p>b"},
	{css: "div+table{color:red}", body: "<table><div>a</div></table>"}, {css: "head title{display:block}"},
	{css: "body.late{color:red}", body: "a<body class=late>"}, {css: "html.late{color:red}", body: "a<html class=late>"},
	{css: "a+a{color:red}", body: "<a href=/>a<a href=/>b</a>"}, {css: "li+li{color:red}", body: "<li>a<li>b"},
	{css: "image,p{color:red}", body: "<image alt=a><p>b"}, {css: "SECTION{color:red}", body: "<section>a"},
	{css: "p+svg{color:red}", body: "<p>a</p><svg></svg>"}, {css: "svg+p{color:red}", body: "<svg><p>a"},
	{css: "lineargradient{color:red}", body: "<svg><linearGradient></linearGradient></svg>"},
	{css: `.a\:b{color:red}`, body: "<p class=a:b>c"}, {css: `.\31 23{color:red}`, body: "<p class=123>c"},
	{css: `#caf\e9{color:red}`, body: "<p id=café>c"}, {css: ".x{color:red}", body: "<p class='&#120;'>c"},
	{css: "@namespace s url(http://www.w3.org/2000/svg);s|rect{fill:red}", body: "<svg><rect></svg>"},
	{css: "@namespace s url(http://www.w3.org/1999/xlink);[s|href]{fill:red}", body: "<svg><use xlink:href=#a></svg>"},
	{css: "*|p{color:red}", body: "<p>a"}, {css: "|p,*{color:red}", body: "<p>a"}, {css: "[data-a='B' i]{color:red}",
		body: "<p data-a=b>c"},
	{css: ".x{color:red}", body: "<svg><foreignObject><p class=x>a</foreignObject></svg>"}, {
		css: "optgroup{color:red}", body: "<select><optgroup><option>a</select>"},
	// What a stylesheet does without a match.
	{css: ".gone{}@font-face{font-family:kit;src:url(/k.woff2)}", body: "<p style='font-family:kit'>a"},
	{css: ".gone{}@font-face{font-family:'Kit One';src:url(/k.woff2)}", body: "<style>p{font:1em Kit One}</style><p>a"},
	{css: ".gone{}@font-face{font-family:Kit One;src:url(/k.woff2)}", body: "<style>p{font:1em 'kit one'}</style><p>a"},
	{css: ".gone{}@font-face{font-family:kit;src:url(/k.woff2)}", body: "<font face=kit>a</font>"},
	{css: ".gone{}@keyframes spin{to{color:red}}", body: "<p style='animation:spin 9s infinite'>a"},
	{css: ".gone{}@keyframes spin{to{color:red}}", body: "<style>p{animation:9s spin infinite}</style><p>a"},
	{css: ".gone{}@keyframes spin{to{color:red}}",
		body: "<link rel=stylesheet href=https://style.lantern.example/a.css><p>a"},
	{css: ".gone{}@keyframes 'spin'{to{color:red}}", body: `<style>p{--a:spin;animation:9s var(--a)}</style><p>a`},
	{css: ".gone{}@keyframes spin{to{color:red}}", body: `<style>p{animation:9s \73pin}</style><p>a`},
	{css: ".gone{}@counter-style kit{system:cyclic;symbols:x}", body: "<ul style='list-style:kit'><li>a</ul>"},
	{css: ".gone{}@property --a{syntax:'<color>';inherits:true;initial-value:red}",
		body: "<style>p{color:var(--a)}</style><p>a"},
	{css: ":root{--a:red}", body: "<style>p{color:var(--a)}</style><p>a"}, {css: "html{--a:red}",
		body: "<p style='color:var(--a)'>a"},
	{css: ":root{--a:1}", body: "<style>@container style(--a:1){p{color:red}}</style><p>a"},
	{css: ".gone{}@layer late,early;", body: "<style>@layer early{p{color:red}}@layer late{p{color:blue}}</style><p>a"},
	{css: "@layer late{.gone{color:red}}",
		body: "<style>@layer early{p{color:red}}@layer late{p{color:blue}}</style><p>a"},
	{css: ".gone{@layer late{color:red}}",
		body: "<style>@layer early{p{color:red}}@layer late{p{color:blue}}</style><p>a"},
	{css: "@import url(/part.css) layer(late);.gone{}",
		body: "<style>@layer early{p{color:red}}@layer late{p{color:blue}}</style><p>a"},
	{css: "@import '/all.css';.gone{}", body: "<p>a"}, {css: ".gone{}@page{margin:9cm}", body: "<p>a"},
	{css: ".gone{}@view-transition{navigation:auto}", body: "<p>a"}, {css: ".gone{}@page wide{size:landscape}",
		body: "<p style='page:wide'>a"},
	{css: ".gone{}@position-try --a{left:1px}", body: "<p style='position-try-fallbacks:--a'>a"},
	{css: ".gone{}@font-palette-values --a{font-family:b}", body: "<p style='font-palette:--a'>a"},
	{css: ".gone{}@function --a(){result:red}", body: "<p style='color:--a()'>a"}, {css: ".gone{:not(&){color:red}}",
		body: "<p>a"},
	{css: ".gone{}@new-rule{p{color:red}}", body: "<p>a"}, {css: ".gone{}@color-profile --a{src:url(/a.icc)}",
		body: "<p>a"},
	{css: "@scope (.gone){:scope{color:red}}p{color:red}", body: "<p>a"}, {css: ":is(.gone,p){color:red}", body: "<p>a"},
	{css: "@media print{p{color:red}}", body: "<p>a"}, {css: "@media (prefers-color-scheme:dark){p{color:red}}",
		body: "<p>a"},
	{css: "@container (min-width:1px){p{color:red}}", body: "<div style='container-type:inline-size'><p>a</div>"},
	{css: "@starting-style{p{color:red}}", body: "<p>a"}, {css: "@media (max-width:400px){p{color:red}}", body: "<p>a"},
	{css: "& p{color:red}", body: "<p>a"}, {css: "p:has(+ .gone:hover),p:not(.gone){color:red}", body: "<p>a"},
}

// states are pseudo-classes and pseudo-elements that hold at some time, with an element of which they do.
var states = map[string]string{
	"input": `:checked :indeterminate :default :valid :invalid :user-valid :user-invalid :in-range :out-of-range :required
		:optional :read-only :read-write :enabled :disabled :placeholder-shown :autofill :focus :focus-visible :blank ::placeholder
		::file-selector-button ::-webkit-search-cancel-button ::details-content`,
	"p": `:hover :active :focus-within :first-child :last-child :only-child :nth-child(1) :nth-last-of-type(1) :lang(en)
		:dir(ltr) :defined :target :target-within :is(p) :where(p) :not(a) :has(b) ::before ::after ::first-line ::first-letter
		::selection ::target-text ::highlight(a) ::scroll-marker ::spelling-error :root :scope :popover-open :fullscreen`,
	"a": ":link :any-link :visited :local-link :target-current", "dialog": ":modal :open ::backdrop", "li": "::marker",
	"video": ":playing :paused :muted :seeking :buffering :stalled :volume-locked :picture-in-picture ::cue",
}

// folding are the attributes whose values are compared without case in HTML (HTML, 4.16.1).
const folding = `accept accept-charset align alink axis bgcolor charset checked clear codetype color compact declare defer dir
	direction disabled enctype face frame hreflang http-equiv lang language link media method multiple nohref noresize noshade
	nowrap readonly rel rev rules scope scrolling selected shape target text type valign valuetype vlink`

// reflecting are properties of elements that set an attribute (HTML, 2.6.1 and the interfaces of each element; ARIA).
const reflecting = `hidden title lang dir id className accessKey autofocus inert tabIndex draggable spellcheck translate nonce
	popover enterKeyHint inputMode slot role ariaLabel ariaHidden ariaExpanded ariaCurrent ariaPressed ariaSelected ariaBusy
	contentEditable autocapitalize innerHTML outerHTML outerText hidePopover`

// roads are those by which a script makes what a stylesheet is for; most name neither class nor element.
var roads = []string{
	"e.setAttribute('class', n)", "e.classList.add(n)", "e.classList.value = n", "e.className += n", "e.dataset[n] = n",
	"e.toggleAttribute(n)", "e.attributes[0].value = n", "e.setAttributeNode(document.createAttribute(n))", "e.append(document.createElement(n))",
	"e.insertAdjacentHTML('beforeend', atob('PGIgY2xhc3M9eD4='))", "e.replaceWith(new DOMParser().parseFromString(n, 'text/html').body)",
	"e.setHTMLUnsafe('<b>')", "document.createElement('table').insertRow()", "e.append(document.querySelector('template').content.cloneNode(true))",
	"customElements.define('x-y', class extends HTMLElement { connectedCallback() { this.className = n } })",
	"customElements.define('y-z', class extends HTMLParagraphElement {}, {extends: 'p'})", "document.adoptedStyleSheets = [new CSSStyleSheet()]",
	"document.write('<b>')", "e.innerHTML = [60, 98, 62].map(c => String.fromCharCode(c)).join('')", "new Image().className = n", "history.pushState(n, '', '#' + n)",
	"location.hash = n", "e.animate({color: ['red']}, 9)", "document.startViewTransition(() => e.className = n)", "e.showPopover()",
	"document.querySelector('dialog').showModal()", "setTimeout('document.body.className=n')", "new Function('document.body.className = n')()",
	"import('/m.js')", "fetch('/f').then(r => r.text()).then(t => e.innerHTML = t)", "new Worker('/w.js').onmessage = m => e.className = m.data",
	"new EventSource('/e').onmessage = m => e.className = m.data", "new BroadcastChannel('a').onmessage = m => e.className = m.data",
	"addEventListener('message', m => e.className = m.data)", "addEventListener('storage', m => e.className = m.newValue)",
	"try { none() } catch { e.className = n }", "[1].every(x => x == 2) || (e.className = n)", "if (!document.querySelector('.a')) e.className = n; else e.id = n",
	"e.hasAttribute(n) || e.setAttribute(n, '')", "document.cookie = n", "localStorage[n] = n", "window[n] = n", "self['a' + n] = n",
	"globalThis.x = n", "var {x} = {x: 1}", "'x' in window && (e.className = n)", "onresize = () => e.className = n", "onhashchange = () => e.className = n",
	"new MutationObserver(() => e.className = n).observe(e, {childList: true})", "new IntersectionObserver(() => e.className = n).observe(e)",
	"matchMedia('print').onchange = () => e.className = n", "document.designMode = 'on'", "document.execCommand('bold')", "getSelection().getRangeAt(0).surroundContents(e)",
	"e.attachShadow({mode: 'open'})", "e.style.setProperty('--a', n)", "e.style.cssText = n", "document.styleSheets[0].insertRule('p{color:red}')",
	"document.styleSheets[0].disabled = true", "Object.assign(e, {className: n})", "Reflect.set(e, 'className', n)", "e[String('class' + 'Name')] = n",
	"with (e) className = n", "({}).constructor.constructor('document.body.className = 1')()", "navigator.serviceWorker", "requestIdleCallback(() => e.className = n)",
	"queueMicrotask(() => e.className = n)", "$('p').addClass(n)", "document.fonts.add(new FontFace('kit', 'url(/k.woff2)'))", "CSS.registerProperty({name: '--a', inherits: true})",
}

// idioms puts all of them together; the first so many are unneeded.
func idioms() (all []idiom, certain int) {
	all, certain = slices.Clone(unneeded), len(unneeded)
	all = append(all, doubtful...)
	for element, list := range states {
		for s := range strings.FieldsSeq(list) {
			all = append(all, idiom{css: element + s + "{color:red}", body: "<" + element + " href=/ required>a"})
		}
	}
	for name := range strings.FieldsSeq(folding) {
		all = append(all, idiom{css: "[" + name + "=SOME]{color:red}", body: "<p " + name + "=some>a"})
	}
	for name := range strings.FieldsSeq(reflecting) {
		all = append(all,
			idiom{css: ".x{color:red}", body: "<p>a",
				script: "document.querySelector('p')." + name + " = atob('eA==')"})
	}
	for _, code := range roads {
		all = append(all,
			idiom{css: ".x,x-y,b,[x],[data-x]{color:red}", body: "<template><b></template><p>a",
				script: "const n = atob('eA=='), e = document.querySelector('p'); " + code})
	}
	for _, attr := range []string{"onclick", "onpointerdown", "onbeforetoggle"} { // without a script element
		all = append(all, idiom{css: ".x{color:red}", body: "<p " + attr + "=\"this.className='x'\">a"})
	}
	for _, at := range []string{"<a href", "<a href=x><svg><a xlink:href", "<form><button formaction", "<form action",
		"<iframe src"} {
		all = append(all, idiom{css: ".x{color:red}", body: at + "=\" java\nscript:document.body.className='x'\">a"})
	}
	return all, certain
}

func (d *idiom) page(style string) string {
	script := ""
	if d.script != "" {
		script = "<script>" + d.script + "</script>"
	}
	return "<!doctype html><html lang=en><head><title>Idiom</title>" + style + "</head><body>" + d.body + script +
		"</body></html>\n"
}

// sights are how all elements of a page look, as it is and once what can be opened, chosen and sent to is.
const sights = `(() => {
	const only = {"::marker": "li", "::backdrop": "dialog", "::placeholder": "input"}
	const style = (e, of) => { const s = getComputedStyle(e, of)
		return of && s.content == "none" ? "" : [...s].filter(p => !p.startsWith("--")).map(p => s.getPropertyValue(p)).join(";") }
	const all = () => [...document.querySelectorAll("html, body, title, body *")].map(e => [null, "::before", "::after", "::marker",
		"::backdrop", "::placeholder"].map(of => !only[of] || e.matches(only[of]) ? style(e, of) : "").join("|")).join("\n")
	const first = all(), can = document.querySelectorAll("details, dialog, input, [id]")
	for (const e of can) { e.open = true; e.value = "a"; e.checked = true; e.focus(); location.hash = e.id }
	return can.length ? first + all() : first
})()`

// TestIdioms: of all these, suggest is certain of those that the text proves, and of no other; nothing that a browser
// shows differs without the stylesheets of which it is.
func TestIdioms(t *testing.T) {
	all, certain := idioms()
	b := clitest.New(t)
	b.Write("site/frame.html", "<script>parent.document.body.className='x'</script>")
	b.Write("site/part.css", ".gone{color:red}")
	b.Write("site/all.css", "p{color:red}")
	for i := range all {
		b.Write(fmt.Sprintf("site/k/%d.css", i), all[i].css)
		b.Write(fmt.Sprintf("site/%d.html", i), all[i].page(fmt.Sprintf("<link rel=stylesheet href=k/%d.css>", i)))
		b.Write(fmt.Sprintf("without/%d.html", i), all[i].page(""))
	}
	var r struct {
		Suggestions []struct {
			Loads     []string
			Certainty string
		}
	}
	if err := json.Unmarshal([]byte(b.Want(0, clitest.Args("suggest", "site", "--format", "json"))), &r); err != nil {
		t.Fatal(err)
	}
	is := map[string]bool{}
	for _, s := range r.Suggestions {
		is[strings.Join(s.Loads, " ")] = s.Certainty == "certain"
	}
	for i, d := range all {
		if got := is[fmt.Sprintf("/k/%d.css", i)]; got != (i < certain) {
			t.Errorf("certain: %v, for %s on %s %s", got, d.css, d.body, d.script)
		}
	}
	if testing.Short() || clitest.BrowserName() == "" {
		t.Logf("%d idioms, without a browser", len(all))
		return
	}
	site := clitest.Serve(t, b.Dir)
	tab := clitest.OwnBrowser(t, 10*time.Minute, "")
	look := func(address string) (out string) {
		tab.Do(chromedp.Navigate(address))
		for _, media := range []string{"", "print"} {
			tab.Media(media, "", "")
			out += tab.JS(sights)
		}
		tab.Media("", "", "")
		return out
	}
	shows := 0
	for i, d := range all {
		if i >= certain && !testsize.Full() {
			break
		}
		page := fmt.Sprintf("/%d.html", i)
		if look(site+"/site"+page) != look(site+"/without"+page) {
			if shows++; i < certain {
				t.Errorf("%s on %s looks otherwise without its stylesheet", d.css, d.body)
			}
		}
	}
	t.Logf("%d idioms, %d proved unneeded, %d look otherwise at once or after clicks", len(all), certain, shows)
}
