package functions

import (
	"cmp"
	"runtime"
	"slices"

	"nimbusreach/core/array"
	"nimbusreach/core/notation"
)

// pace is after how many elements of slow work the clock is looked at.
const pace = 1 << 12

// Stopped is what slow work panics with when the run's time is over; the run's edge
// recovers it.
type Stopped struct{ Diagnostic *notation.Diagnostic }

// Worked counts elements of slow work and stops the run when its time is over. It is
// called from the run's own goroutine.
func (m *Meter) Worked(elements int) {
	if m.worked += elements; m.worked < pace {
		return
	}
	m.worked = 0
	if d := m.Pause(); d != nil {
		panic(Stopped{d})
	}
}

// beside holds a place for each work that goes on beside the clock, so that work which
// nobody waits for any more never holds more than the cores and a few matrices.
var beside = make(chan struct{}, runtime.GOMAXPROCS(0))

// Await does work that cannot look at the clock, and stops the run when its time is over
// before. The work goes on alone then, and what it gives is not looked at.
func (m *Meter) Await(work func()) {
	late := func() { panic(Stopped{limit("seconds", "the time allowed", "work on a smaller matrix")}) }
	select {
	case beside <- struct{}{}:
	case <-m.ctx.Done():
		late()
	}
	ended := make(chan any, 1)
	go func() {
		defer func() {
			<-beside
			ended <- recover()
		}()
		work()
	}()
	select {
	case failed := <-ended:
		if failed != nil {
			panic(failed)
		}
	case <-m.ctx.Done():
		late()
	}
}

// paced1 looks at the clock between pieces of a kernel's work.
func paced1[A, O array.Cell](m *Meter, kernel func(out []O, a []A)) func(out []O, a []A) {
	return func(out []O, a []A) {
		for len(out) > pace {
			kernel(out[:pace], a[:pace])
			out, a = out[pace:], a[pace:]
			m.Worked(pace)
		}
		kernel(out, a[:len(out)])
		m.Worked(len(out))
	}
}

// paced2 is paced1 for kernels of two operands.
func paced2[A, B, O array.Cell](m *Meter, kernel func(out []O, a []A, b []B)) func(out []O, a []A, b []B) {
	return func(out []O, a []A, b []B) {
		for len(out) > pace {
			kernel(out[:pace], a[:pace], b[:pace])
			out, a, b = out[pace:], a[pace:], b[pace:]
			m.Worked(pace)
		}
		kernel(out, a[:len(out)], b[:len(out)])
		m.Worked(len(out))
	}
}

// sortBlock is how many elements are sorted at once before they are merged.
const sortBlock = 1 << 10

// sortStably sorts by merging, so that it takes n log n steps whatever the order, leaves
// equal elements as they stand, and can be stopped. room has the length of x, or is nil
// where that is at most sortBlock.
func sortStably[T any](m *Meter, x, room []T, compare func(a, b T) int) {
	for from := 0; from < len(x); from += sortBlock {
		block := x[from:min(from+sortBlock, len(x))]
		slices.SortStableFunc(block, compare)
		m.Worked(len(block))
	}
	from, to := x, room
	for width := sortBlock; width < len(x); width *= 2 {
		for low := 0; low < len(x); low += 2 * width {
			middle, end := min(low+width, len(x)), min(low+2*width, len(x))
			merge(to[low:end], from[low:middle], from[middle:end], compare)
			m.Worked(end - low)
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
	if len(x) <= pace {
		slices.Sort(x)
		m.Worked(len(x))
		return
	}
	middle := len(x) / 2
	sortReals(m, x[:middle])
	sortReals(m, x[middle:])
	merge(x, slices.Clone(x[:middle]), x[middle:], cmp.Compare[float64])
	m.Worked(len(x))
}

// roomToSort asks for what sorting so many elements takes beside them.
func roomToSort[T any](m *Meter, kind array.Kind, n int) ([]T, *notation.Diagnostic) {
	if n <= sortBlock {
		return nil, nil
	}
	if d := m.Borrow(kind, n); d != nil {
		return nil, d
	}
	return make([]T, n), nil
}
