package courses_test

import (
	"context"
	"os"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/e2e/testdb"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/probe"
	"nimbusreach/internal/service/courses"
	"nimbusreach/internal/service/store"
)

func TestMain(m *testing.M) { os.Exit(testdb.Main(m)) }

var ctx = context.Background()

func unbounded(ctx context.Context) (context.Context, context.CancelFunc) {
	return context.WithCancel(ctx)
}

// folder is a course of one exercise about the mean growth of ropes.
func folder(change ...string) fstest.MapFS {
	files := map[string]string{
		"course.yaml": "title: Kelp\nexercises: [means]\n",
		"exercises/means/exercise.yaml": "title: Means\ninputs: {growth: {axes: [week, rope]}}\noutputs: {per_rope: " +
			"{axes: [rope]}}\ncases:\n" +
			"  - {name: bay, shown: true, inputs: {growth: [[1, 2, 4], [3, 5, 9]]}}\n  - {name: cove, inputs: {growth: [[1, " +
			"7], [3, 5], [2, 2]]}}\n",
		"exercises/means/prompt.md":     "Bind per_rope, the mean for each rope.\n",
		"exercises/means/reference.nra": "per_rope = mean(growth over week)\n",
	}
	for i := 0; i+1 < len(change); i += 2 {
		files[change[i]] = change[i+1]
	}
	out := fstest.MapFS{}
	for name, text := range files {
		out[name] = &fstest.MapFile{Data: []byte(text)}
	}
	return out
}

func open(t *testing.T) (*store.Store, *store.Person) {
	t.Helper()
	s, err := store.Open(ctx, testdb.New(t), nil)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	p := &store.Person{Name: "imke", Display: "Imke", PasswordHash: "x"}
	require.NoError(t, s.AddPerson(ctx, nil, p))
	return s, p
}

func load(t *testing.T, folder fstest.MapFS) *courses.Edit {
	t.Helper()
	x, err := courses.Load(ctx, "kelp", folder, nil)
	require.NoError(t, err)
	return x
}

func TestNamesInAddresses(t *testing.T) {
	for _, name := range []string{"kelp", "kelp-2031", "a", strings.Repeat("k", 64)} {
		t.Run(name, func(t *testing.T) {
			assert.True(t, courses.IsSlug(name), name)
		})
	}
	for _, name := range []string{"", "Kelp", "kelp farm", "-kelp", "kelp-", "ke--lp", "kelp/2", "tang\u00fc",
		strings.Repeat("k", 65)} {
		t.Run(name, func(t *testing.T) {
			assert.False(t, courses.IsSlug(name), name)
		})
	}
}

func TestAFolderLoadsWholeOrNotAtAll(t *testing.T) {
	x := load(t, folder())
	assert.Equal(t, []string{"means"}, x.Names())
	require.Len(t, x.Prepared, 1)

	for _, c := range []struct{ name, file, text, want string }{
		{"an unknown key", "course.yaml", "title: Kelp\nexercise: [means]\nexercises: [means]\n", "exercise"},
		{"a reference that does not parse", "exercises/means/reference.nra", "per_rope = mean(\n", "never closed"},
		{"a reference that fails on a case", "exercises/means/reference.nra", "per_rope = growth[9, all]\n", "bay"},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, err := courses.Load(ctx, "kelp", folder(c.file, c.text), nil)
			var faulty *courses.Faulty
			require.ErrorAs(t, err, &faulty)
			require.NotEmpty(t, faulty.Problems)
			told := ""
			for _, p := range faulty.Problems {
				told += p.Message + " " + p.Hint + " "
			}
			assert.Contains(t, told, c.want)
		})
	}
	ended, cancel := context.WithCancel(ctx)
	cancel()
	_, err := courses.Load(ended, "kelp", folder(), nil)
	assert.ErrorIs(t, err, context.Canceled)
}

func TestACourseAsksForItsShareOfCaughtSlips(t *testing.T) {
	// Square data in every case let work over the wrong axis through.
	weak := strings.NewReplacer("[[1, 2, 4], [3, 5, 9]]", "[[1, 2], [2, 1]]", "[[1, 7], [3, 5], [2, 2]]",
		"[[3, 4], [4, 3]]").Replace(string(folder()["exercises/means/exercise.yaml"].Data))
	for _, c := range []struct {
		name, caught string
		exercise     string
		enough       bool
	}{
		{"good data", "0.9", string(folder()["exercises/means/exercise.yaml"].Data), true},
		{"weak data", "0.95", weak, false},
		{"weak data, and nothing asked", "0", weak, true},
	} {
		t.Run(c.name, func(t *testing.T) {
			x := load(t, folder("course.yaml", "title: Kelp\nexercises: [means]\nteam: {caught: "+c.caught+"}\n",
				"exercises/means/exercise.yaml", c.exercise))
			h := x.Health(ctx, probe.Options{}, nil)
			assert.Positive(t, h.Slips)
			err := h.Enough(x.Content)
			if c.enough {
				assert.NoError(t, err)
				return
			}
			assert.Positive(t, h.Survivors)
			var few *courses.TooFewCaught
			require.ErrorAs(t, err, &few)
			assert.Less(t, few.Share, few.Asked)
			assert.Contains(t, err.Error(), "95.0 %")
		})
	}
}

func TestPublishingNamesTheRevisionItBeganFrom(t *testing.T) {
	s, imke := open(t)
	ada := &store.Person{Name: "ada", Display: "Ada", PasswordHash: "x"}
	require.NoError(t, s.AddPerson(ctx, nil, ada))
	_, first, err := courses.Publish(ctx, s, imke.ID, load(t, folder()))
	require.NoError(t, err)
	assert.Equal(t, 1, first.Number)

	_, same, err := courses.Publish(ctx, s, imke.ID, load(t, folder()))
	require.NoError(t, err)
	assert.Equal(t, first.ID, same.ID, "a folder that has not changed makes no revision")

	x := load(t, folder("exercises/means/prompt.md", "Bind per_rope.\n"))
	x.From = 1
	_, second, err := courses.Publish(ctx, s, ada.ID, x)
	require.NoError(t, err)
	assert.Equal(t, 2, second.Number)

	late := load(t, folder("exercises/means/prompt.md", "Bind per_rope, please.\n"))
	late.From = 1
	_, _, err = courses.Publish(ctx, s, imke.ID, late)
	var conflict *store.Conflict
	require.ErrorAs(t, err, &conflict)
	assert.Equal(t, 2, conflict.Current)
	late.From = store.AnyRevision
	_, third, err := courses.Publish(ctx, s, imke.ID, late)
	require.NoError(t, err)
	assert.Equal(t, 3, third.Number)
}

func TestVerdictsThatAnEditWouldChange(t *testing.T) {
	s, imke := open(t)
	c, _, err := courses.Publish(ctx, s, imke.ID, load(t, folder()))
	require.NoError(t, err)
	for _, program := range []string{"per_rope = mean(growth over week)\n", "per_rope = max(growth over week)\n",
		"per_rope = sum(growth over week)\n"} {
		t.Run(program, func(t *testing.T) {
			a := &store.Attempt{CourseID: c.ID, RevisionID: *c.CurrentRevisionID, Exercise: "means", PersonID: imke.ID,
				Program: program}
			_, err := s.HandIn(ctx, a, store.Bounds{})
			require.NoError(t, err)
			claimed, err := s.Claim(ctx, time.Minute, 0, store.Share{}, 1)
			require.NoError(t, err)
			verdict, earned := "differs", 0.0
			if strings.Contains(program, "mean(") {
				verdict, earned = "agrees", 1
			}
			require.NoError(t, s.Finish(ctx, store.Done{Attempt: &claimed[0], Verdict: &store.Verdict{Verdict: verdict,
				Earned: earned, Possible: 1, Body: "{}"}}))
		})
	}
	same, err := load(t, folder()).Changes(ctx, s, c.ID, unbounded, nil)
	require.NoError(t, err)
	assert.Equal(t, 3, same.Checked)
	assert.Empty(t, same.List)
	assert.False(t, same.Unchecked)

	other, err := load(t, folder("exercises/means/reference.nra", "per_rope = max(growth over week)\n")).Changes(ctx, s,
		c.ID, unbounded, nil)
	require.NoError(t, err)
	require.Len(t, other.List, 2)
	assert.Equal(t, "agrees", other.List[0].Before, "what falls comes first")
	assert.Equal(t, string(check.Differs), other.List[0].After)
	assert.Equal(t, "differs", other.List[1].Before)
	assert.Equal(t, string(check.Agrees), other.List[1].After)
	assert.Equal(t, []float64{1, 0, 0, 1}, []float64{other.List[0].Earned, other.List[0].Now, other.List[1].Earned,
		other.List[1].Now})
	require.Len(t, other.Points, 3)

	gone, err := load(t, folder("course.yaml", "title: Kelp\nexercises: [totals]\n", "exercises/totals/exercise.yaml",
		"title: Totals\noutputs: {x: {}}\ncases: [{name: a}]\n",
		"exercises/totals/prompt.md", "Bind x.", "exercises/totals/reference.nra", "x = 1\n")).Changes(ctx, s, c.ID,
		unbounded, nil)
	require.NoError(t, err)
	assert.Zero(t, gone.Checked, "an exercise that is gone changes no verdict")
}

func TestADraftSaysWhatItCan(t *testing.T) {
	d := courses.Look(ctx, folder(), "", probe.Options{}, nil)
	assert.Empty(t, d.Errors)
	require.Len(t, d.Exercises, 1)
	assert.Equal(t, "means", d.Exercises[0].Exercise.Name)
	assert.Positive(t, d.Exercises[0].Probed.Slips)
	assert.False(t, d.Stopped)

	two := folder("course.yaml", "title: Kelp\nexercises: [means, totals]\n", "exercises/totals/exercise.yaml",
		"title: Totals\noutput: {x: {}}\ncases: [{name: a}]\n",
		"exercises/totals/prompt.md", "Bind x.", "exercises/totals/reference.nra", "x = 1\n")
	d = courses.Look(ctx, two, "", probe.Options{}, nil)
	require.NotEmpty(t, d.Errors)
	assert.Contains(t, d.Errors[0].File, "totals")
	require.Len(t, d.Exercises, 1, "a faulty exercise leaves the others their advice")
	assert.Empty(t, courses.Look(ctx, two, "totals", probe.Options{}, nil).Exercises)

	loose := folder()
	loose["exercises/extra/exercise.yaml"] = loose["exercises/means/exercise.yaml"]
	d = courses.Look(ctx, loose, "", probe.Options{}, nil)
	require.NotEmpty(t, d.Advice)
	assert.Equal(t, codes.AdviceNotListed, d.Advice[0].Code)

	assert.NotEmpty(t, courses.Look(ctx, fstest.MapFS{}, "", probe.Options{}, nil).Errors, "no course.yaml")
	ended, cancel := context.WithCancel(ctx)
	cancel()
	assert.True(t, courses.Look(ended, folder(), "", probe.Options{}, nil).Stopped)
}
