package browser

import (
	"context"
	"encoding/json"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	"github.com/chromedp/cdproto"
	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/fetch"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/cdproto/target"
	"github.com/chromedp/chromedp"

	"yellowgate/internal/core/pageload"
)

// Workers, service workers, worklets and frames in processes of their own are targets besides the page: what they ask
// for and where they fail is heard through the page's session, that of shared workers through the browser's. Each
// waits until somebody listens.

// attachChildren has the browser hand over what a page starts.
func attachChildren() chromedp.Action { return target.SetAutoAttach(true, true).WithFlatten(false) }

// attachShared has the browser hand over shared workers, which belong to no page.
func (b *Browser) attachShared(ctx context.Context) error {
	of := cdp.WithExecutor(ctx, chromedp.FromContext(ctx).Browser)
	heard := map[target.ID]bool{}
	chromedp.ListenBrowser(ctx, func(ev any) {
		e, attached := ev.(*target.EventAttachedToTarget)
		if !attached || e.TargetInfo.Type != "shared_worker" || heard[e.TargetInfo.TargetID] {
			return
		}
		heard[e.TargetInfo.TargetID] = true
		found, ok := b.watches.Load(e.TargetInfo.BrowserContextID)
		if !ok {
			return
		}
		w := found.(*watch)
		w.started(e.TargetInfo)
		worker, stop := chromedp.NewContext(ctx, chromedp.WithTargetID(e.TargetInfo.TargetID))
		w.mu.Lock()
		w.ends = append(w.ends, stop)
		w.mu.Unlock()
		chromedp.ListenTarget(worker, w.hearChild)
		go func() { _ = chromedp.Run(worker, runtime.RunIfWaitingForDebugger()) }() // whoever hears must not wait
	})
	only := target.Filter{{Type: "shared_worker"}, {Exclude: true}}
	return target.SetAutoAttach(true, true).WithFlatten(true).WithFilter(only).Do(of)
}

// hearChildren listens to the targets that a page starts, and lets each go once it is listened to.
func (w *watch) hearChildren(ctx context.Context) {
	of := cdp.WithExecutor(ctx, chromedp.FromContext(ctx).Target)
	chromedp.ListenTarget(ctx, func(ev any) {
		switch e := ev.(type) {
		case *target.EventAttachedToTarget:
			w.started(e.TargetInfo)
			if e.TargetInfo.Type == "iframe" {
				w.frameOf(e.SessionID, true)
			}
			methods := []string{"Network.enable", "Runtime.enable", "Runtime.runIfWaitingForDebugger"}
			if w.holds {
				methods = slices.Insert(methods, 0, fetch.CommandEnable)
			}
			go func() {
				for _, method := range methods {
					send(of, e.SessionID, method, nil)
				}
			}()
		case *target.EventDetachedFromTarget:
			w.frameOf(e.SessionID, false)
		case *target.EventReceivedMessageFromTarget:
			var m cdproto.Message
			if json.Unmarshal([]byte(e.Message), &m) != nil {
				return
			}
			if m.Method == "" {
				w.reply(m.ID, json.RawMessage(m.Result))
				return
			}
			ev, err := cdproto.UnmarshalMessage(&m)
			if err != nil {
				return
			}
			if held, is := ev.(*fetch.EventRequestPaused); is {
				method, params := w.decide(held)
				go send(of, e.SessionID, method, params)
				return
			}
			w.hearChild(ev)
		}
	})
}

// messages counts what is sent to targets: each has a number of its own.
var messages atomic.Int64

// send has a target do something; what it answers does not matter.
func send(of context.Context, session target.SessionID, method string, params any) {
	sendAs(of, session, messages.Add(1), method, params)
}

func sendAs(of context.Context, session target.SessionID, number int64, method string, params any) {
	message, err := json.Marshal(map[string]any{"id": number, "method": method, "params": params})
	if err == nil {
		message := map[string]any{"message": string(message), "sessionId": session}
		_ = cdp.Execute(of, "Target.sendMessageToTarget", message, nil)
	}
}

// ask has a target do something, and waits for its answer, two seconds at most; nil for none.
func (w *watch) ask(of context.Context, session target.SessionID, method string, params any) json.RawMessage {
	number, answer := messages.Add(1), make(chan json.RawMessage, 1)
	w.mu.Lock()
	w.answers[number] = answer
	w.mu.Unlock()
	sendAs(of, session, number, method, params)
	select {
	case raw := <-answer:
		return raw
	case <-time.After(2 * time.Second):
	case <-of.Done():
	}
	return nil
}

// reply takes in what a target answers.
func (w *watch) reply(number int64, raw json.RawMessage) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if answer := w.answers[number]; answer != nil {
		answer <- raw
		delete(w.answers, number)
	}
}

// frameOf takes in that a frame of another site came, or went.
func (w *watch) frameOf(session target.SessionID, there bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if there {
		w.frames[session] = true
	} else {
		delete(w.frames, session)
	}
}

// started takes in that a target was started. Of a service worker or a shared one, the page's session says nothing.
func (w *watch) started(of *target.Info) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if _, known := w.scripts[of.URL]; !known && strings.HasSuffix(of.Type, "_worker") && !w.over {
		w.scripts[of.URL] = len(w.r.Requests)
		w.r.Requests = append(w.r.Requests, pageload.Request{
			URL: of.URL, Kind: "script", Method: "GET", Asked: pageload.Initiator{By: "script", Request: -1},
		})
	}
}

// hearChild takes in what a target besides the page says.
func (w *watch) hearChild(ev any) {
	switch e := ev.(type) {
	case *network.EventRequestWillBeSent:
		if strings.HasPrefix(e.DocumentURL, "chrome-error:") {
			return // of the page that a browser shows in place of a frame
		}
	case *network.EventResponseReceived: // to a worker's own script
		w.mu.Lock()
		if i, known := w.scripts[e.Response.URL]; known && w.request(e.RequestID) == nil && !w.over {
			w.at[string(e.RequestID)] = i
		}
		w.mu.Unlock()
	case *runtime.EventExceptionThrown, *runtime.EventConsoleAPICalled, *network.EventDataReceived,
		*network.EventLoadingFinished, *network.EventLoadingFailed:
	default:
		return
	}
	w.hear(ev)
}
