package functions

import (
	"fmt"
	"hash/fnv"
	"math"
	"math/rand/v2"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// DrawKey fixes what a run draws: every attempt at one case draws the same.
type DrawKey struct{ Seed, Case, Repeat uint64 }

// NewDrawKey is the key of a repeat of a group of cases.
func NewDrawKey(seed uint64, group string, repeat int) DrawKey {
	return DrawKey{Seed: seed, Case: Salt(group), Repeat: uint64(repeat)}
}

// Salt turns words into a number that a stream is keyed by.
func Salt(words ...string) uint64 {
	h := fnv.New64a()
	for _, w := range words {
		h.Write([]byte(w))
		h.Write([]byte{0})
	}
	return h.Sum64()
}

// mix is the finishing step of SplitMix64 (Steele, Lea, Flood 2014).
func mix(x uint64) uint64 {
	x += 0x9e3779b97f4a7c15
	x = (x ^ x>>30) * 0xbf58476d1ce4e5b9
	x = (x ^ x>>27) * 0x94d049bb133111eb
	return x ^ x>>31
}

// stream starts the substream of the next draw call of the run: PCG-DXSM with 128
// bits of state (O'Neill 2014), seeded from the key and the call's number. Neither
// the generator nor the way numbers are made from it ever changes.
func (c *Call) stream() *rand.PCG {
	c.Meter.draws++
	k := c.Meter.Draw
	a := mix(mix(mix(k.Seed)^k.Case) ^ k.Repeat)
	return rand.NewPCG(mix(a^c.Meter.draws), mix(a+c.Meter.draws))
}

// Draws is how many calls have drawn.
func (m *Meter) Draws() uint64 { return m.draws }

// Stream is a substream of a key, for data drawn outside a program; salt tells
// substreams apart.
func Stream(k DrawKey, salt uint64) *rand.PCG {
	a := mix(mix(mix(k.Seed)^k.Case) ^ k.Repeat)
	return rand.NewPCG(mix(a^mix(salt)), mix(a+salt))
}

// Unit is a real in [0, 1) with 53 random bits.
func Unit(g *rand.PCG) float64 { return float64(g.Uint64()>>11) / (1 << 53) }

// Below is an int in [0, n), every one equally likely; n of 0 stands for 2^64.
func Below(g *rand.PCG, n uint64) uint64 {
	if n == 0 {
		return g.Uint64()
	}
	limit := -n % n // 2^64 mod n values are turned away
	for {
		if v := g.Uint64(); v >= limit {
			return v % n
		}
	}
}

func drawUniform(c *Call) (*array.Array, *notation.Diagnostic) {
	low, d := c.number(c.Args[1], "the low end")
	if d != nil {
		return nil, d
	}
	high, d := c.number(c.Args[2], "the high end")
	if d != nil {
		return nil, d
	}
	if !(low <= high) {
		return nil, fault(codes.RunValue, fmt.Sprintf("the low end %v is above the high end %v", low, high),
			"give the low end first")
	}
	return c.drawReals(func(g *rand.PCG) float64 { return low + Unit(g)*(high-low) })
}

func (c *Call) drawReals(next func(*rand.PCG) float64) (*array.Array, *notation.Diagnostic) {
	shape, d := c.lengths(c.Args[:1])
	if d != nil {
		return nil, d
	}
	if d := c.take(array.Real, shape); d != nil {
		return nil, d
	}
	g := c.stream()
	out := array.New(array.Real, shape)
	cells := out.Reals()
	for i := range cells {
		cells[i] = next(g)
		c.Meter.Worked(drawing)
	}
	return out, nil
}

func drawNormal(c *Call) (*array.Array, *notation.Diagnostic) {
	mean, d := c.realOption("mean", 0)
	if d != nil {
		return nil, d
	}
	std, d := c.realOption("std", 1)
	if d != nil {
		return nil, d
	}
	if !(std >= 0) {
		return nil, fault(codes.RunValue, fmt.Sprintf("the standard deviation %v is negative", std), "give 0 or more")
	}
	return c.drawReals(func(g *rand.PCG) float64 { return mean + std*Normals(g)() })
}

// Normals draws from the standard normal distribution, by Marsaglia's polar method.
func Normals(g *rand.PCG) func() float64 {
	return func() float64 {
		for {
			u, v := 2*Unit(g)-1, 2*Unit(g)-1
			if s := u*u + v*v; s > 0 && s < 1 {
				return u * math.Sqrt(-2*math.Log(s)/s)
			}
		}
	}
}

func drawIntegers(c *Call) (*array.Array, *notation.Diagnostic) {
	low, d := c.integer(c.Args[1], "the low end")
	if d != nil {
		return nil, d
	}
	high, d := c.integer(c.Args[2], "the high end")
	if d != nil {
		return nil, d
	}
	if low > high {
		return nil, fault(codes.RunValue, fmt.Sprintf("the low end %d is above the high end %d", low, high),
			"give the low end first")
	}
	shape, d := c.lengths(c.Args[:1])
	if d != nil {
		return nil, d
	}
	if d := c.take(array.Int, shape); d != nil {
		return nil, d
	}
	g := c.stream()
	out := array.New(array.Int, shape)
	cells := out.Ints()
	for i := range cells {
		cells[i] = int64(low) + int64(Below(g, uint64(high)-uint64(low)+1))
		c.Meter.Worked(drawing)
	}
	return out, nil
}

// drawing is the work of one draw.
const drawing = 30

// drawnOrder is the first n places of a drawn order of count things.
func drawnOrder(m *Meter, g *rand.PCG, count, n int) []int {
	order := make([]int, count)
	for i := range order {
		order[i] = i
	}
	for i := range n {
		j := i + int(Below(g, uint64(count-i)))
		order[i], order[j] = order[j], order[i]
		m.Worked(drawing)
	}
	return order[:n]
}

func shuffled(c *Call) (*array.Array, *notation.Diagnostic) {
	if c.Args[0].Rank() == 0 {
		return nil, c.wantRank(c.Args[0], 1)
	}
	n := c.Args[0].Len(0)
	if d := c.Meter.Take(array.Int, n); d != nil {
		return nil, d
	}
	return c.itemsAt(c.Args[0], 0, drawnOrder(c.Meter, c.stream(), n, n))
}

// itemsAt takes items along an axis.
func (c *Call) itemsAt(a *array.Array, axis int, list []int) (*array.Array, *notation.Diagnostic) {
	picks := wholePicks(a.Shape())
	picks[axis] = array.Pick{Kind: array.PickList, List: list}
	if d := c.take(a.Kind(), array.SelectedShape(picks)); d != nil {
		return nil, d
	}
	return a.Select(picks), nil
}

func wholePicks(shape []int) []array.Pick {
	picks := make([]array.Pick, len(shape))
	for i, n := range shape {
		picks[i] = array.WholeAxis(n)
	}
	return picks
}

func sampled(c *Call) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	if a.Rank() == 0 {
		return nil, c.wantRank(a, 1)
	}
	n, d := c.integer(c.Args[1], "the count")
	if d != nil {
		return nil, d
	}
	again, d := c.truth("again")
	if d != nil {
		return nil, d
	}
	count := a.Len(0)
	if n < 0 || (n > count && !again) || (n > 0 && count == 0) {
		return nil, fault(codes.RunValue, fmt.Sprintf("%d items cannot be drawn from %d", n, count),
			"draw fewer, or let items come again with `again: true`", ShapeOf(a))
	}
	if d := c.Meter.Take(array.Int, max(n, count)); d != nil {
		return nil, d
	}
	g := c.stream()
	if !again {
		return c.itemsAt(a, 0, drawnOrder(c.Meter, g, count, n))
	}
	list := make([]int, n)
	for i := range list {
		list[i] = int(Below(g, uint64(count)))
	}
	return c.itemsAt(a, 0, list)
}
