package functions

import (
	"context"
	"fmt"
	"runtime"
	"slices"
	"sync/atomic"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// Limits bound one run. Every field but Work must be positive. Seconds are bounded by
// the context the run is given.
type Limits struct {
	Statements int64
	Cells      int64 // made in all
	Bytes      int64 // alive at one time
	Depth      int   // of calls
	Work       int64 // see Meter.Work; 0 for no bound
}

// Meter counts what a run uses and says when a limit is passed. It also collects
// notices.
type Meter struct {
	Limits     Limits
	Statements int64
	Cells      int64
	// Work is what slow functions did, the same on every machine: about as many
	// nanoseconds as it takes on a core of 2.5 GHz.
	Work int64

	// Arena is where small results come from.
	Arena array.Arena
	// Draw keys what the run draws.
	Draw    DrawKey
	draws   uint64
	made    int64 // bytes, since unreachable memory was last collected
	earlier int64 // bytes that runs before this one made, perhaps unreachable and not collected
	pending int64 // bytes made by the statements that are running
	settled int64 // bytes held when last measured, plus those bound since

	ctx     context.Context
	holder  Holder
	clock   int
	worked  int // of Work, since the clock was looked at
	span    notation.Span
	Notices []*notation.Diagnostic
	seen    map[noticeKey]bool
}

type noticeKey struct {
	code codes.Code
	span notation.Span
}

// Holder measures the bytes of cells that names still hold. The meter asks only when
// its own upper bound passes the limit.
type Holder interface{ Alive() int64 }

// NewMeter starts counting for one run in which nobody holds anything.
func NewMeter(ctx context.Context, limits Limits) *Meter {
	m := &Meter{}
	m.Start(ctx, limits, nil)
	return m
}

// Start starts counting for one run, with what is left of the last run's arena.
func (m *Meter) Start(ctx context.Context, limits Limits, holder Holder) {
	*m = Meter{Limits: limits, ctx: ctx, holder: holder, Arena: m.Arena, earlier: uncollected.Load()}
}

// Stop ends the counting; what the run made may be unreachable from now on.
func (m *Meter) Stop() { uncollected.Add(m.settled + m.pending) }

// uncollected is how many bytes runs of this process have made that may be unreachable by now
// and not collected. Memory is the process's, so the count is.
var uncollected atomic.Int64

// worthCollecting is how many bytes that may be unreachable are looked for, and how many a run
// holds before it looks: small runs never do.
const worthCollecting = 8 << 20

// collect has unreachable memory collected before large arrays are made, so that a run and
// those before it together hold little more than one may. Left alone, the runtime lets
// as much again pile up as is alive.
func (m *Meter) collect() {
	if m.made+m.earlier < worthCollecting {
		return
	}
	runtime.GC()
	uncollected.Store(0)
	m.made, m.earlier = 0, 0
}

// At sets the span that the next notices belong to.
func (m *Meter) At(span notation.Span) { m.span = span }

// Span returns the span set last.
func (m *Meter) Span() notation.Span { return m.span }

// Take asks for cells of a kind before they are made.
func (m *Meter) Take(kind array.Kind, cells int) *notation.Diagnostic {
	m.Cells += int64(cells)
	if m.Cells > m.Limits.Cells || cells < 0 {
		return limit("cells made", fmt.Sprint(m.Limits.Cells), "work on smaller arrays, or in fewer steps")
	}
	if d := m.Borrow(kind, cells); d != nil {
		return d
	}
	if cells > 1<<14 {
		return m.Pause()
	}
	return nil
}

// Borrow asks for memory that a function needs in between, and gives back.
func (m *Meter) Borrow(kind array.Kind, cells int) *notation.Diagnostic {
	bytes := int64(cells) * kind.CellBytes()
	m.pending += bytes
	if m.pending+m.settled > m.Limits.Bytes {
		m.settled = 0
		if m.holder != nil {
			m.settled = m.holder.Alive()
		}
		if m.pending+m.settled > m.Limits.Bytes {
			return limit("bytes alive", fmt.Sprint(m.Limits.Bytes), "keep fewer large arrays at a time")
		}
		m.collect()
	} else if held := m.pending + m.settled; held > worthCollecting && held+m.earlier > m.Limits.Bytes {
		m.collect()
	}
	m.made += bytes
	return nil
}

// TakeShape asks for an array of a shape, whose size may not even fit an int.
func (m *Meter) TakeShape(kind array.Kind, shape []int) *notation.Diagnostic {
	n, ok := array.Size(shape)
	if ok && n == 0 {
		// Nothing is made, but work along one axis may still need its length.
		extent, fits := array.Extent(shape)
		ok = fits && int64(extent) <= m.Limits.Cells && int64(extent)*kind.CellBytes() <= m.Limits.Bytes
	}
	if !ok || n > 1<<40 {
		return limit("cells made", fmt.Sprint(m.Limits.Cells), "the shape "+notation.Shape{Lengths: slices.Clone(shape),
			Mark: -1}.String()+" is too large")
	}
	return m.Take(kind, n)
}

// Pause looks at the clock; long work calls it now and then.
func (m *Meter) Pause() *notation.Diagnostic {
	select {
	case <-m.ctx.Done():
		return limit("seconds", "the time allowed", "look for a loop or an array larger than needed")
	default:
		return nil
	}
}

// Statement counts one statement, and looks at the clock every so often.
func (m *Meter) Statement() *notation.Diagnostic {
	m.Statements++
	if m.Statements > m.Limits.Statements {
		return limit("statements run", fmt.Sprint(m.Limits.Statements), "work on whole arrays instead of in rounds")
	}
	if m.clock++; m.clock&255 == 0 {
		return m.Pause()
	}
	return nil
}

// TimedOut reports whether a diagnostic is the clock's, which says nothing about
// the program that a faster machine would repeat.
func TimedOut(d *notation.Diagnostic) bool {
	return d != nil && d.Code == codes.RunLimit && d.Message == limitMessage("seconds", "the time allowed")
}

func limitMessage(what, bound string) string {
	return fmt.Sprintf("the run exceeded its limit on %s: %s", what, bound)
}

func limit(what, bound, hint string) *notation.Diagnostic {
	return &notation.Diagnostic{Code: codes.RunLimit, Message: limitMessage(what, bound), Hint: hint}
}

// Begin opens a statement; End closes it with what Begin returned, and moves the
// bytes it made to those that names may hold.
func (m *Meter) Begin() int64 {
	before := m.pending
	return before
}

// End closes a statement.
func (m *Meter) End(before int64) {
	m.settled += m.pending - before
	m.pending = before
}

// Notice leaves a notice at the current span; a notice repeated at one span is
// kept once.
func (m *Meter) Notice(code codes.Code, message, hint string, shapes ...notation.Shape) {
	key := noticeKey{code, m.span}
	if m.seen[key] {
		return
	}
	if m.seen == nil {
		m.seen = map[noticeKey]bool{}
	}
	if len(m.Notices) >= 200 {
		return
	}
	m.seen[key] = true
	m.Notices = append(m.Notices, &notation.Diagnostic{Code: code, Message: message, Hint: hint, Span: m.span,
		Shapes: shapes})
}
