package testkit

import (
	"context"
	"fmt"
	"math/rand/v2"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// Hand works a page as a person's hands do: it types key by key, moves before it clicks, and goes on
// while answers are under way. It waits for nothing but for its own pauses, which are drawn by a seed.
type Hand struct {
	ctx       context.Context
	rng       *rand.Rand
	From, To  time.Duration // the pause after a key or a click, at least and at most
	x, y      float64       // where the pointer is
	modifiers int64
}

// NewHand is the hand of a person on a page, who pauses 30 to 300 ms after each key.
func NewHand(ctx context.Context, seed uint64) *Hand {
	return &Hand{ctx: ctx, rng: rand.New(rand.NewPCG(seed, 28)), From: 30 * time.Millisecond, To: 300 * time.Millisecond}
}

// Every sets the pause after each key and click.
func (h *Hand) Every(pause time.Duration) *Hand {
	h.From, h.To = pause, pause
	return h
}

// Pause waits as long as a person does between two acts.
func (h *Hand) Pause() {
	pause := h.From
	if h.To > h.From {
		pause += time.Duration(h.rng.Int64N(int64(h.To - h.From)))
	}
	time.Sleep(pause)
}

// Type types keys one after the other, those of package kb too.
func (h *Hand) Type(keys string, opts ...chromedp.KeyOption) error {
	for _, key := range keys {
		if err := chromedp.Do(h.ctx, chromedp.KeyEvent(string(key), opts...)); err != nil {
			return err
		}
		h.Pause()
	}
	return nil
}

// Compose composes a text as an input method does: it is underlined while it grows, and put in at the
// end.
func (h *Hand) Compose(steps []string, text string) error {
	for _, s := range steps {
		n := int64(len([]rune(s)))
		if _, err := chromedp.Call(h.ctx, input.ImeSetComposition,
			input.ImeSetCompositionParams{Text: s, SelectionStart: n, SelectionEnd: n}); err != nil {
			return err
		}
		h.Pause()
	}
	_, err := chromedp.Call(h.ctx, input.InsertText, input.InsertTextParams{Text: text})
	return err
}

// At is the middle of the first element of a selector that can be seen, in the window.
func (h *Hand) At(css string) (x, y float64, err error) {
	at, err := chromedp.Run(h.ctx, chromedp.Evaluate[[]float64](fmt.Sprintf(`(() => {
		const el = [...document.querySelectorAll(%q)].find((e) => e.checkVisibility());
		if (!el) return [];
		let r = el.getBoundingClientRect();
		if (r.top < 60 || r.bottom > innerHeight - 60) el.scrollIntoView({block: "center"});
		r = el.getBoundingClientRect();
		return [r.left + Math.min(r.width / 2, 200), r.top + r.height / 2];
	})()`, css)))
	if err == nil && len(at) < 2 {
		err = fmt.Errorf("nothing to be seen is %s", css)
	}
	if err != nil {
		return 0, 0, err
	}
	return at[0], at[1], nil
}

func (h *Hand) mouse(typ input.DispatchMouseEventType, buttons int64, clicks int) error {
	p := input.DispatchMouseEventParams{Type: typ, X: h.x, Y: h.y, Buttons: buttons, ClickCount: int64(clicks),
		Modifiers: h.modifiers}
	if typ != chromedp.MouseMoved || buttons != 0 {
		p.Button = "left"
	}
	_, err := chromedp.Call(h.ctx, input.DispatchMouseEvent, p)
	return err
}

// moveTo moves the pointer in some steps.
func (h *Hand) moveTo(x, y float64, buttons int64) error {
	const steps = 6
	fromX, fromY := h.x, h.y
	for i := 1; i <= steps; i++ {
		h.x, h.y = fromX+(x-fromX)*float64(i)/steps, fromY+(y-fromY)*float64(i)/steps
		if err := h.mouse(chromedp.MouseMoved, buttons, 0); err != nil {
			return err
		}
		time.Sleep(4 * time.Millisecond)
	}
	return nil
}

// Click moves onto an element and clicks it, with Shift or Ctrl held if asked.
func (h *Hand) Click(css string, held ...chromedp.Modifier) error {
	x, y, err := h.At(css)
	if err != nil {
		return err
	}
	for _, m := range held {
		h.modifiers |= int64(m)
	}
	defer func() { h.modifiers = 0 }()
	if err := h.moveTo(x, y, 0); err != nil {
		return err
	}
	// What has moved meanwhile is followed, as the eye does.
	if toX, toY, err := h.At(css); err == nil && (toX != x || toY != y) {
		if err := h.moveTo(toX, toY, 0); err != nil {
			return err
		}
	}
	if err := h.mouse(chromedp.MousePressed, 1, 1); err != nil {
		return err
	}
	time.Sleep(20 * time.Millisecond)
	if err := h.mouse(chromedp.MouseReleased, 0, 1); err != nil {
		return err
	}
	h.Pause()
	return nil
}

// Key presses keys at once, as a shortcut is: with others held, or several of a hand that knows them.
func (h *Hand) Key(keys string, opts ...chromedp.KeyOption) error {
	err := chromedp.Do(h.ctx, chromedp.KeyEvent(keys, opts...))
	h.Pause()
	return err
}

// Write clicks a field and types a text in place of what it holds.
func (h *Hand) Write(css, text string) error {
	if err := h.Click(css); err != nil {
		return err
	}
	if err := h.Key("a", chromedp.KeyModifiers(chromedp.ModifierCtrl)); err != nil {
		return err
	}
	if text == "" {
		return h.Key(kb.Delete)
	}
	return h.Type(text)
}

// Insert clicks a field and puts a text in place of what it holds at once, as pasting does.
func (h *Hand) Insert(css, text string) error {
	if err := h.Click(css); err != nil {
		return err
	}
	if err := h.Key("a", chromedp.KeyModifiers(chromedp.ModifierCtrl)); err != nil {
		return err
	}
	_, err := chromedp.Call(h.ctx, input.InsertText, input.InsertTextParams{Text: text})
	h.Pause()
	return err
}

// Choose opens a list of choices, goes to one by the arrow keys and takes it. The choice is named by
// its value, by what it says, or by some of that.
func (h *Hand) Choose(css, choice string) error {
	if err := h.Click(css); err != nil {
		return err
	}
	down, err := chromedp.Run(h.ctx, chromedp.Evaluate[[]int](fmt.Sprintf(`(() => {
		const s = [...document.querySelectorAll(%q)].find((e) => e.checkVisibility()), want = %q;
		const can = [...s.options].filter((o) => !o.disabled && !o.parentElement.disabled && !o.hidden);
		const to = [(o) => o.value === want, (o) => o.text.trim() === want, (o) => o.text.includes(want)]
			.map((is) => can.findIndex(is)).find((i) => i >= 0);
		return to === undefined ? [] : [to - can.indexOf(s.selectedOptions[0])];
	})()`, css, choice)))
	if err == nil && len(down) == 0 {
		err = fmt.Errorf("the list %s has no choice %q", css, choice)
	}
	if err != nil {
		return err
	}
	for ; down[0] > 0 && err == nil; down[0]-- {
		err = h.Key(kb.ArrowDown)
	}
	for ; down[0] < 0 && err == nil; down[0]++ {
		err = h.Key(kb.ArrowUp)
	}
	if err == nil {
		err = h.Key(kb.Enter)
	}
	return err
}

// Over moves onto an element and stays there.
func (h *Hand) Over(css string) error {
	x, y, err := h.At(css)
	if err == nil {
		err = h.moveTo(x, y, 0)
	}
	h.Pause()
	return err
}

// Menu clicks an element with the right button.
func (h *Hand) Menu(css string) error {
	x, y, err := h.At(css)
	if err == nil {
		err = h.moveTo(x, y, 0)
	}
	if err == nil {
		err = chromedp.Do(h.ctx, chromedp.MouseClickXY(x, y, chromedp.ButtonRight))
	}
	h.Pause()
	return err
}

// Press presses the button on an element and holds it, MoveOnto moves onto another with it held, and
// Release lets go.
func (h *Hand) Press(css string) error {
	x, y, err := h.At(css)
	if err == nil {
		err = h.moveTo(x, y, 0)
	}
	if err == nil {
		err = h.mouse(chromedp.MousePressed, 1, 1)
	}
	h.Pause()
	return err
}

// MoveOnto moves onto an element with the button held.
func (h *Hand) MoveOnto(css string) error {
	x, y, err := h.At(css)
	if err == nil {
		err = h.moveTo(x, y, 1)
	}
	h.Pause()
	return err
}

// Release lets the button go.
func (h *Hand) Release() error {
	err := h.mouse(chromedp.MouseReleased, 0, 1)
	h.Pause()
	return err
}

// Drag presses on one element, moves to another and lets go there; with cancel it presses Escape
// before it lets go.
func (h *Hand) Drag(from, to string, cancel bool) error {
	if err := h.Press(from); err != nil {
		return err
	}
	if err := h.MoveOnto(to); err != nil {
		return err
	}
	if cancel {
		if err := h.Type(kb.Escape); err != nil {
			return err
		}
	}
	return h.Release()
}

// TouchDrag puts a finger on one element, moves it to another and lifts it there.
func (h *Hand) TouchDrag(from, to string) error {
	x, y, err := h.At(from)
	if err != nil {
		return err
	}
	toX, toY, err := h.At(to)
	if err != nil {
		return err
	}
	touch := func(typ input.DispatchTouchEventType, points ...*input.TouchPoint) error {
		_, err := chromedp.Call(h.ctx, input.DispatchTouchEvent,
			input.DispatchTouchEventParams{Type: typ, TouchPoints: points})
		return err
	}
	if err := touch("touchStart", &input.TouchPoint{X: x, Y: y}); err != nil {
		return err
	}
	const steps = 6
	for i := 1.0; i <= steps; i++ {
		at := &input.TouchPoint{X: x + (toX-x)*i/steps, Y: y + (toY-y)*i/steps}
		if err := touch("touchMove", at); err != nil {
			return err
		}
		time.Sleep(10 * time.Millisecond)
	}
	return touch("touchEnd")
}
