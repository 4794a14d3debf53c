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

// handingOver has the browser hand over what a page or a target starts.
var handingOver = target.SetAutoAttachParams{AutoAttach: true, WaitForDebuggerOnStart: true, Flatten: new(false)}

// attachShared has the browser hand over shared workers, which belong to no page.
func (b *Browser) attachShared(ctx context.Context) error {
	heard := map[target.ID]bool{}
	err := chromedp.ListenBrowser(ctx, func(ev any) {
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
		worker, stop := chromedp.NewContext(ctx, chromedp.WithTargetID(e.TargetInfo.TargetID),
			chromedp.WithListener(w.hearChild))
		w.mu.Lock()
		w.ends = append(w.ends, stop)
		w.mu.Unlock()
		go func() { _ = do(worker, runtime.RunIfWaitingForDebugger, cdp.Empty{}) }() // whoever hears must not wait
	})
	if err != nil {
		return err
	}
	_, err = chromedp.CallBrowser(ctx, target.SetAutoAttach, target.SetAutoAttachParams{
		AutoAttach: true, WaitForDebuggerOnStart: true, Flatten: new(true),
		Filter: target.Filter{{Type: "shared_worker"}, {Exclude: true}},
	})
	return err
}

// A route leads from the page's session to that of a target: each step was started by the one before.
type route []target.SessionID

// hearChildren listens to the targets that a page starts, and to those that these start.
func (w *watch) hearChildren(ctx context.Context) error {
	return chromedp.Listen(ctx, func(ev any) { w.hearTarget(ctx, nil, ev) })
}

// hearTarget takes in what is said at the end of a route. It must not wait.
func (w *watch) hearTarget(ctx context.Context, at route, ev any) {
	switch e := ev.(type) {
	case *target.EventAttachedToTarget:
		w.letGo(ctx, append(slices.Clip(at), e.SessionID), e.TargetInfo)
	case *target.EventDetachedFromTarget:
		w.mu.Lock()
		delete(w.frames, e.SessionID)
		w.mu.Unlock()
	case *target.EventReceivedMessageFromTarget:
		var m cdproto.Message
		if json.Unmarshal([]byte(e.Message), &m) != nil {
			return
		}
		if m.Method == "" {
			w.reply(m.ID, json.RawMessage(m.Result))
			return
		}
		from := append(slices.Clip(at), e.SessionID)
		ev, err := cdproto.UnmarshalMessage(&m, chromedp.DefaultUnmarshalOptions)
		if err != nil {
			return
		}
		if held, is := ev.(*fetch.EventRequestPaused); is {
			method, params := w.decide(held)
			go send(ctx, from, messages.Add(1), method, params)
			return
		}
		w.hearTarget(ctx, from, ev)
	default:
		if len(at) > 0 {
			w.hearChild(ev)
		}
	}
}

// letGo has a target run that waits until it is listened to.
func (w *watch) letGo(ctx context.Context, at route, info *target.Info) {
	w.started(info)
	if info.Type == "iframe" {
		w.mu.Lock()
		w.frames[at[len(at)-1]] = at
		w.mu.Unlock()
	}
	go func() {
		if w.holds {
			send(ctx, at, messages.Add(1), fetch.CommandEnable, nil)
		}
		for _, method := range []string{network.CommandEnable, runtime.CommandEnable} {
			send(ctx, at, messages.Add(1), method, nil)
		}
		send(ctx, at, messages.Add(1), target.CommandSetAutoAttach, handingOver)
		send(ctx, at, messages.Add(1), runtime.CommandRunIfWaitingForDebugger, nil)
	}()
}

// messages counts what is sent to targets: each has a number of its own.
var messages atomic.Int64

// send has the target at the end of a route do something, each target on the way handing it on.
func send(ctx context.Context, at route, number int64, method string, params any) {
	for i := len(at) - 1; i >= 0; i-- {
		message, err := json.Marshal(map[string]any{"id": number, "method": method, "params": params})
		if err != nil {
			return
		}
		number, method = messages.Add(1), "Target.sendMessageToTarget"
		params = map[string]any{"message": string(message), "sessionId": at[i]}
	}
	_ = chromedp.FromContext(ctx).Target.Call(ctx, method, params, nil)
}

// ask has a target do something, and waits for its answer, two seconds at most; nil for none.
func (w *watch) ask(ctx context.Context, at route, method string, params any) json.RawMessage {
	number, answer := messages.Add(1), make(chan json.RawMessage, 1)
	w.mu.Lock()
	w.answers[number] = answer
	w.mu.Unlock()
	send(ctx, at, number, method, params)
	select {
	case raw := <-answer:
		return raw
	case <-time.After(2 * time.Second):
	case <-ctx.Done():
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
