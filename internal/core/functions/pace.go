package functions

import (
	"cmp"
	"fmt"
	"runtime"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/core/notation"
)

// piece is how many elements are worked on before the clock is reported.
const piece = 1 << 12

// pace is after how much of Meter.Work the clock is looked at.
const pace = 1 << 15

// Stopped is what slow work panics with when the run's time is over; the run's edge
// recovers it.
type Stopped struct{ Diagnostic *notation.Diagnostic }

// Worked counts slow work and stops the run when its time, or what it may work, is over.
// It is called from the run's own goroutine.
func (m *Meter) Worked(work int) {
	m.Work += int64(work)
	if m.worked += work; m.worked < pace {
		return
	}
	m.worked = 0
	if m.Limits.Work > 0 && m.Work > m.Limits.Work {
		panic(Stopped{limit("work", fmt.Sprint(m.Limits.Work), "work on smaller arrays, or in fewer steps")})
	}
	if d := m.Pause(); d != nil {
		panic(Stopped{d})
	}
}

// beside holds a place for each work that goes on beside the clock, so that work which
// nobody waits for any more never holds more than the cores and a few matrices.
var beside = make(chan struct{}, runtime.GOMAXPROCS(0))

// Await does work that cannot look at the clock, and stops the run when its time is over
// before. The work goes on alone then, and what it gives is not looked at.
func (m *Meter) Await(products int, work func()) {
	m.Worked(products)
	late := func() { panic(Stopped{limit("seconds", "the time allowed", "work on a smaller matrix")}) }
	select {
	case beside <- struct{}{}:
	case <-m.ctx.Done():
		late()
	}
	var relay guard.Relay
	ended := make(chan bool, 1)
	go func() {
		defer func() {
			<-beside
			ended <- true
		}()
		defer relay.Catch()
		work()
	}()
	select {
	case <-ended:
		relay.Raise()
	case <-m.ctx.Done():
		late()
	}
}

// paced1 looks at the clock between pieces of a kernel's work.
// each is the work of an element.
func paced1[A, O array.Cell](m *Meter, each int, kernel func(out []O, a []A)) func(out []O, a []A) {
	return func(out []O, a []A) {
		for len(out) > piece {
			kernel(out[:piece], a[:piece])
			out, a = out[piece:], a[piece:]
			m.Worked(piece * each)
		}
		kernel(out, a[:len(out)])
		m.Worked(len(out) * each)
	}
}

// paced2 is paced1 for kernels of two operands.
func paced2[A, B, O array.Cell](m *Meter, each int, kernel func(out []O, a []A, b []B)) func(out []O, a []A, b []B) {
	return func(out []O, a []A, b []B) {
		for len(out) > piece {
			kernel(out[:piece], a[:piece], b[:piece])
			out, a, b = out[piece:], a[piece:], b[piece:]
			m.Worked(piece * each)
		}
		kernel(out, a[:len(out)], b[:len(out)])
		m.Worked(len(out) * each)
	}
}

// plain is the work of an element of which nothing is known to take long.
const plain = 8

// work is what an element of the function's result takes.
func (f *Function) work() int { return max(f.Slow, 2*plain) }

// workOf is what an element of a two-sided operator takes.
func workOf(op string) int {
	if op == "^" {
		return 8 * plain
	}
	return plain
}

// sortBlock is how many elements are sorted at once before they are merged.
const sortBlock = 1 << 10

// The work of an element in a block that is sorted, and where two are merged.
const (
	sorting = 150
	merging = 15
)

// sortStably sorts by merging, so that it takes n log n steps whatever the order, leaves
// equal elements as written, and can be stopped. scratch has the length of x, or is nil
// where that is at most sortBlock.
func sortStably[T any](m *Meter, x, scratch []T, compare func(a, b T) int) {
	for from := 0; from < len(x); from += sortBlock {
		block := x[from:min(from+sortBlock, len(x))]
		slices.SortStableFunc(block, compare)
		m.Worked(len(block) * sorting)
	}
	from, to := x, scratch
	for width := sortBlock; width < len(x); width *= 2 {
		for low := 0; low < len(x); low += 2 * width {
			middle, end := min(low+width, len(x)), min(low+2*width, len(x))
			merge(to[low:end], from[low:middle], from[middle:end], compare)
			m.Worked((end - low) * merging)
		}
		from, to = to, from
	}
	if len(x) > sortBlock && &from[0] != &x[0] {
		copy(x, from)
	}
}

// merge lays two sorted lists together; of equal elements those of a come first.
func merge[T any](out, a, b []T, compare func(a, b T) int) {
	for i := range out {
		if len(b) == 0 || len(a) > 0 && compare(a[0], b[0]) <= 0 {
			out[i], a = a[0], a[1:]
		} else {
			out[i], b = b[0], b[1:]
		}
	}
}

// sortReals sorts with NaN first. It can be stopped where there are many.
func sortReals(m *Meter, x []float64) {
	if len(x) <= piece {
		slices.Sort(x)
		m.Worked(len(x) * sorting / 2)
		return
	}
	middle := len(x) / 2
	sortReals(m, x[:middle])
	sortReals(m, x[middle:])
	merge(x, slices.Clone(x[:middle]), x[middle:], cmp.Compare[float64])
	m.Worked(len(x) * merging)
}

// scratchToSort asks for what sorting so many elements takes beside them.
func scratchToSort[T any](m *Meter, kind array.Kind, n int) ([]T, *notation.Diagnostic) {
	if n <= sortBlock {
		return nil, nil
	}
	if d := m.Borrow(kind, n); d != nil {
		return nil, d
	}
	return make([]T, n), nil
}
