package library_test

import (
	"context"
	"os"
	"sync"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/demo"
	"nimbusreach/e2e/testdb"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/library"
	"nimbusreach/internal/service/store"
)

func TestMain(m *testing.M) { os.Exit(testdb.Main(m)) }

// published is a store with the demo course, by the person 1.
func published(t *testing.T) (*store.Store, *store.Course) {
	t.Helper()
	ctx := context.Background()
	s, err := store.Open(ctx, testdb.New(t), nil)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	p := &store.Person{Name: "imke", Display: "Imke", PasswordHash: "x"}
	require.NoError(t, s.AddPerson(ctx, nil, p))
	require.EqualValues(t, 1, p.ID)
	archive, err := exercise.Pack(demo.Course())
	require.NoError(t, err)
	c, _, err := s.Publish(ctx, p.ID, "kelp", "Kelp", archive, 0)
	require.NoError(t, err)
	return s, c
}

func TestARevisionIsReadOnce(t *testing.T) {
	s, c := published(t)
	l := library.New(s)
	ctx := context.Background()
	first, err := l.Course(ctx, *c.CurrentRevisionID)
	require.NoError(t, err)
	again, err := l.Course(ctx, *c.CurrentRevisionID)
	require.NoError(t, err)
	assert.Same(t, first, again)
	var wg sync.WaitGroup
	prepared := make([]*check.Prepared, 8)
	for i := range prepared {
		wg.Go(func() {
			p, err := l.Exercise(ctx, *c.CurrentRevisionID, "rope-means")
			assert.NoError(t, err)
			prepared[i] = p
		})
	}
	wg.Wait()
	for _, p := range prepared {
		assert.Same(t, prepared[0], p, "the reference runs once")
	}
	_, err = l.Exercise(ctx, *c.CurrentRevisionID, "nets")
	assert.ErrorIs(t, err, store.ErrNotFound)
	_, err = l.Course(ctx, 999)
	assert.ErrorIs(t, err, store.ErrNotFound)
}

func TestOldRevisionsAreForgotten(t *testing.T) {
	s, c := published(t)
	ctx := context.Background()
	l := library.New(s)
	first, err := l.Course(ctx, *c.CurrentRevisionID)
	require.NoError(t, err)
	for i := range 70 {
		archive, err := exercise.Pack(fstest.MapFS{
			"course.yaml":                 {Data: []byte("title: K\nexercises: [one]\n")},
			"exercises/one/exercise.yaml": {Data: []byte("title: One\noutputs: {x: {}}\ncases: [{name: a}]\n")},
			"exercises/one/prompt.md":     {Data: []byte{byte('a' + i%26), byte('a' + i/26)}},
			"exercises/one/reference.nra": {Data: []byte("x = 1\n")},
		})
		require.NoError(t, err)
		_, r, err := s.Publish(ctx, 1, "kelp", "K", archive, 0)
		require.NoError(t, err)
		_, err = l.Exercise(ctx, r.ID, "one")
		require.NoError(t, err)
	}
	again, err := l.Course(ctx, *c.CurrentRevisionID)
	require.NoError(t, err)
	assert.NotSame(t, first, again, "it was forgotten, and read anew")
	assert.Equal(t, first.Title, again.Title)
}

func TestVerdictsAreKeptForTheirRevision(t *testing.T) {
	s, c := published(t)
	l := library.New(s)
	v := &check.Verdict{Verdict: check.Agrees}
	assert.Nil(t, l.Verdict(*c.CurrentRevisionID, "means x = 1"))
	l.KeepVerdict(*c.CurrentRevisionID, "means x = 1", v)
	assert.Same(t, v, l.Verdict(*c.CurrentRevisionID, "means x = 1"))
	assert.Nil(t, l.Verdict(*c.CurrentRevisionID, "means x = 2"))
	assert.Nil(t, l.Verdict(*c.CurrentRevisionID+1, "means x = 1"), "another revision has its own")
}

func TestAPublishedCourseThatCannotBeReadIsTriedAgain(t *testing.T) {
	s, _ := published(t)
	_, broken, err := s.Publish(context.Background(), 1, "broken", "Broken", []byte("not an archive"), 0)
	require.NoError(t, err)
	l := library.New(s)
	for range 2 {
		_, err = l.Course(context.Background(), broken.ID)
		assert.Error(t, err)
	}
}
