package array

import (
	"runtime"
	"slices"
	"sync"
	"sync/atomic"

	"nimbusreach/internal/core/guard"
)

// Step is one operation of a fused chain. Its operands are leaves, counted from 0,
// or results of earlier steps, counted down from -1.
type Step struct {
	Kernel func(out, a, b []float64)
	A, B   int
	Watch  bool // B must be finite for a finite result to mean that all steps were
}

// splitAt is how many elements make it worth using every core.
const splitAt = 1 << 17

// Fuse works a chain of element-wise steps out in one pass over memory: a block of
// every operand at a time, without arrays for the results in between. Leaves are
// real and broadcast to the shape. finite is false when a step may have made a value
// that is not finite, which the result alone may not show.
func Fuse(shape []int, leaves []*Array, steps []Step) (out *Array, finite bool) {
	stretched := make([]*Array, len(leaves))
	for i, a := range leaves {
		stretched[i] = a.Stretch(shape)
	}
	out = New(Real, shape)
	cells := out.cells.reals
	var spoiled atomic.Bool
	work := func(outer []int, leaves []*Array, cells []float64) {
		if !fuse(outer, leaves, steps, cells) {
			spoiled.Store(true)
		}
	}
	n := len(cells)
	if len(shape) == 0 || n == 0 {
		work(shape, stretched, cells)
		return out, !spoiled.Load()
	}
	inner := n / shape[0]
	OnCores(shape[0], n, func(from, to int) {
		part := slices.Clone(shape)
		part[0] = to - from
		mine := make([]*Array, len(stretched))
		for i, a := range stretched {
			header := *a
			header.layout = (&layout{shape: part, strides: a.strides}).counted()
			header.offset += from * a.strides[0]
			mine[i] = &header
		}
		work(part, mine, cells[from*inner:to*inner])
	})
	return out, !spoiled.Load()
}

// OnCores calls f for parts of 0 to n, on every core where size elements make it pay.
func OnCores(n, size int, f func(from, to int)) {
	if size < splitAt {
		f(0, n)
		return
	}
	workers := min(runtime.GOMAXPROCS(0), n)
	if workers < 2 {
		f(0, n)
		return
	}
	var wg sync.WaitGroup
	var relay guard.Relay
	for w := range workers {
		wg.Go(func() {
			defer relay.Catch()
			f(n*w/workers, n*(w+1)/workers)
		})
	}
	wg.Wait()
	relay.Raise()
}

// fuse is Fuse on one core; it reports whether everything was finite.
func fuse(shape []int, leaves []*Array, steps []Step, cells []float64) bool {
	p := NewPlan(shape, leaves...)
	feeds := make([]*feed[float64], len(leaves))
	for i, a := range leaves {
		feeds[i] = newFeed[float64](a, p.Steps[i])
	}
	results := make([][]float64, len(steps))
	buffers := make([]float64, Block*(len(steps)-1))
	pieces := make([][]float64, len(leaves))
	finite := true
	p.Each(func(lo, n int, at []int) {
		for i := 0; i < n; i += Block {
			m := min(Block, n-i)
			for k, f := range feeds {
				pieces[k] = f.piece(at[k]+i*p.Steps[k], m)
			}
			operand := func(k int) []float64 {
				if k >= 0 {
					return pieces[k]
				}
				return results[-1-k]
			}
			for k, s := range steps {
				out := cells[lo+i : lo+i+m]
				if k < len(steps)-1 {
					out = buffers[k*Block : k*Block+m]
				}
				if s.Watch && !Finite(operand(s.B)) {
					finite = false
				}
				s.Kernel(out, operand(s.A), operand(s.B))
				results[k] = out
			}
			if !Finite(results[len(steps)-1]) {
				finite = false
			}
		}
	})
	return finite
}
