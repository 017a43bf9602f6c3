// Package probe makes plausible wrong programs from an exercise's reference, runs them
// on every case, and says which would be marked right; and it looks for data that
// would catch those.
package probe

import (
	"context"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/slips"
)

// Options bound a probe.
type Options struct {
	Time     time.Duration      // the whole of it; 0 for 30 seconds
	Progress func(done, of int) // called now and then; nil for none
	Cores    int                // how many are used; 0 for all
}

// Report is what a probe found.
type Report struct {
	Slips      int        `json:"slips"`
	Caught     int        `json:"caught"`
	Survivors  []Survivor `json:"survivors"`
	Equivalent int        `json:"equivalent"`
	Marked     int        `json:"marked"`
	Stopped    bool       `json:"stopped"` // at the bound on time, or on the length of the reference

	passed []passed // slips that every case lets through, equivalent ones too
	search *search
	names  map[string]string // of the held cases given so far, by their inputs
}

// Share is how many slips are caught of those that change something.
func (r *Report) Share() float64 {
	if r.Slips == r.Equivalent {
		return 1
	}
	return float64(r.Caught) / float64(r.Slips-r.Equivalent)
}

// Survivor is a slip that would be marked right.
type Survivor struct {
	Operator string     `json:"operator"`
	Cause    codes.Code `json:"cause"`
	Change   string     `json:"change"`
	Line     int        `json:"line"`
	Changed  string     `json:"changed"` // the line as the slip has it
	Try      string     `json:"try"`
	YAML     string     `json:"yaml,omitempty"` // a held case that catches it
	Weakness codes.Code `json:"-"`              // what of the data lets it through

	program  string
	operator *slips.Operator
}

// candidate is one slip by its place in the list that every worker makes alike.
type candidate struct {
	index   int
	program string // printed with the slip made
}

// Material is what slips of an exercise's reference may bring in.
func Material(p *check.Prepared) *slips.Material {
	return &slips.Material{Inputs: p.Exercise.InputNames(), Counting: p.Exercise.Counting, Known: p.Outlines(true)}
}

// Reference names a reference by its tree, for marks that fall when it changes.
func Reference(p *check.Prepared) string { return digest(notation.Print(p.Program)) }

// Run probes an exercise.
func Run(ctx context.Context, p *check.Prepared, o Options) *Report {
	if o.Time == 0 {
		o.Time = 30 * time.Second
	}
	if o.Cores <= 0 {
		o.Cores = runtime.GOMAXPROCS(0)
	}
	ctx, cancel := context.WithTimeout(ctx, o.Time)
	defer cancel()
	var list []candidate
	all := false
	if p.Program.Nodes() <= mostNodes {
		list, all = candidates(ctx, p)
	}
	caught := make([]bool, len(list))
	survived := make([]*Survivor, len(list))
	report := &Report{Survivors: []Survivor{}, names: map[string]string{}}
	var mu sync.Mutex
	done := 0
	each(list, o.Cores, func(worker *worker, i int) {
		if ctx.Err() != nil {
			return
		}
		s := worker.slips[list[i].index]
		undo := s.Apply()
		right := worker.right(ctx)
		if right && ctx.Err() == nil {
			survived[i] = &Survivor{Operator: s.Operator.Name, Cause: s.Cause, Line: p.Program.Source.Place(s.Span).Line,
				Changed: s.Line(), program: list[i].program, operator: s.Operator}
		}
		undo()
		if survived[i] != nil {
			survived[i].Change = s.Change()
		}
		mu.Lock()
		caught[i] = !right
		if done++; o.Progress != nil && done%16 == 0 {
			o.Progress(done, len(list))
		}
		mu.Unlock()
	}, p)
	report.Stopped = !all || ctx.Err() != nil
	report.Slips = len(list)
	for i := range list {
		if caught[i] {
			report.Caught++
		}
	}
	judge(ctx, p, survived, report)
	return report
}

// worker has a tree of its own, so that slips can be made in place.
type worker struct {
	p       *check.Prepared
	program *notation.Program
	slips   []slips.Slip
}

func newWorker(p *check.Prepared) *worker {
	w := &worker{p: p, program: notation.CopyProgram(p.Program)}
	w.slips = slips.Of(w.program, Material(p))
	return w
}

// costFactor bounds what a slip may cost against the reference.
const costFactor = 40

// right reports whether the tree as it is now would be marked right.
func (w *worker) right(ctx context.Context) bool {
	for i := range w.p.Cases {
		if !w.p.Right(ctx, &w.p.Cases[i], w.program, costFactor) {
			return false
		}
	}
	return true
}

// each runs f for every candidate, on some cores.
func each(list []candidate, workers int, f func(w *worker, i int), p *check.Prepared) {
	if len(list) == 0 {
		return
	}
	var wg sync.WaitGroup
	var relay guard.Relay
	var next atomic.Int64
	for range workers {
		wg.Go(func() {
			defer relay.Catch()
			w := newWorker(p)
			for i := next.Add(1) - 1; i < int64(len(list)); i = next.Add(1) - 1 {
				f(w, int(i))
			}
		})
	}
	wg.Wait()
	relay.Raise()
}

// mostNodes bounds the reference: its slips, each a change somewhere, are held at once.
// A reference of a thousand lines has fewer.
const mostNodes = 20_000

// mostText is how many bytes of changed programs are held.
const mostText = 64 << 20

// candidates lists the slips that make another program, each program once, leaving
// out those that no program could be; all is false where time or memory ended before.
func candidates(ctx context.Context, p *check.Prepared) (out []candidate, all bool) {
	w := newWorker(p)
	seen := map[string]bool{normal(notation.Print(w.program)): true}
	size := 0
	for i := range w.slips {
		if size > mostText || ctx.Err() != nil {
			return out, false
		}
		undo := w.slips[i].Apply()
		text := notation.Print(w.program)
		bad := len(evaluate.Check(w.program, p.Exercise.InputNames())) > 0
		undo()
		key := normal(text)
		if bad || seen[key] {
			continue
		}
		seen[key] = true
		size += 2 * len(text)
		out = append(out, candidate{i, text})
	}
	return out, true
}

// normal is a text as it counts for being the same program: parentheses around single
// names and numbers say nothing.
func normal(text string) string { return strings.ReplaceAll(text, " ", "") }

// judge sorts survivors: those that change nothing, those the instructor has marked,
// and those that data could catch.
func judge(ctx context.Context, p *check.Prepared, survived []*Survivor, report *Report) {
	marks := map[string]bool{}
	reference := Reference(p)
	for _, q := range p.Exercise.Equivalent {
		if q.Reference == "" || q.Reference == reference {
			marks[q.Change] = true
		}
	}
	s := newSearch(ctx, p)
	report.search = s
	for _, one := range survived {
		if one == nil {
			continue
		}
		program, errs := notation.Parse(one.program)
		if len(errs) == 0 {
			report.passed = append(report.passed, passed{one.operator, one.Change, program})
		}
		if marks[one.Change] {
			report.Marked++
			report.Equivalent++
			continue
		}
		if len(errs) > 0 {
			report.Equivalent++
			continue
		}
		found, tried := s.find(ctx, program)
		switch {
		case found != nil:
			one.Try, one.YAML, one.Weakness = found.words, report.held(found), found.weakness
		case tried >= enoughTried:
			report.Equivalent++
			continue
		default:
			one.Try = "add a held case with other lengths and values; no small change of the data was found that catches it"
		}
		report.Survivors = append(report.Survivors, *one)
	}
	slices.SortStableFunc(report.Survivors, func(a, b Survivor) int {
		return a.Cause.Rank() - b.Cause.Rank()
	})
}
