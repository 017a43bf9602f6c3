package queue_test

import (
	"context"
	"fmt"
	"os"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/demo"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/budget"
	"nimbusreach/internal/service/library"
	"nimbusreach/internal/service/mariadb"
	"nimbusreach/internal/service/queue"
	"nimbusreach/internal/service/store"
)

// cluster starts three database nodes, and opens a store on each that prefers it.
func cluster(t *testing.T) (*mariadb.Cluster, []*store.Store) {
	t.Helper()
	folder, err := os.MkdirTemp("", "nimbus-cluster-") // the nodes' own user must reach it
	require.NoError(t, err)
	require.NoError(t, os.Chmod(folder, 0o755))
	t.Cleanup(func() { _ = os.RemoveAll(folder) })
	ctx, cancel := context.WithTimeout(context.Background(), 3*time.Minute)
	t.Cleanup(cancel)
	c, err := mariadb.StartCluster(ctx, folder, 3)
	require.NoError(t, err)
	t.Cleanup(func() { _ = c.Stop() })

	// Ten processes at once bring an empty database up to date; of them, three are kept.
	stores := make([]*store.Store, 10)
	var wg sync.WaitGroup
	for i := range stores {
		wg.Go(func() {
			s, err := store.OpenAs(ctx, c.DSN, fmt.Sprint("process ", i), nil)
			if assert.NoError(t, err) {
				stores[i] = s
			}
		})
	}
	wg.Wait()
	require.False(t, t.Failed())
	on := map[string]*store.Store{}
	for _, s := range stores {
		t.Cleanup(func() { _ = s.Close() })
		on[s.Node()] = s
	}
	require.Len(t, on, 3, "processes of other names prefer other nodes")
	var each []*store.Store
	for _, n := range c.Nodes {
		each = append(each, on[fmt.Sprintf("127.0.0.1:%d", n.Port)])
	}
	return c, each
}

// TestThreeNodes: hand-ins and workers on every node of a cluster, of which one is killed and comes
// back. Everything that was stored gets one verdict, and nobody is refused.
func TestThreeNodes(t *testing.T) {
	nodes, stores := cluster(t)
	ctx := context.Background()
	teacher := &store.Person{Name: "imke", Display: "Imke", PasswordHash: "x"}
	require.NoError(t, stores[0].AddPerson(ctx, nil, teacher))
	archive, err := exercise.Pack(demo.Course())
	require.NoError(t, err)
	course, _, err := stores[1].Publish(ctx, teacher.ID, "kelp", "Kelp", archive, 0)
	require.NoError(t, err)
	seen, err := stores[2].CourseBySlug(ctx, "kelp")
	require.NoError(t, err, "what one node wrote another reads at once")
	assert.Equal(t, course.ID, seen.ID)

	working, stop := context.WithCancel(ctx)
	var workers, clients sync.WaitGroup
	for _, s := range stores {
		workers.Go(func() { queue.New(s, library.New(s), budget.New(0, 0), quiet).Run(working, 3) })
	}
	const people, each = 6, 24
	var mu sync.Mutex
	ids := make([][]uint64, people)
	for i := range people {
		p := &store.Person{Name: fmt.Sprint("diver", i), Display: "Diver", PasswordHash: "x"}
		require.NoError(t, stores[i%3].AddPerson(ctx, nil, p))
		for hand := range 2 { // on two nodes at once: the numbers must not repeat
			clients.Go(func() {
				for k := range each / 2 {
					a := &store.Attempt{CourseID: course.ID, RevisionID: *course.CurrentRevisionID, Exercise: "rope-means",
						PersonID: p.ID, Program: right}
					_, err := stores[(i+k+hand)%3].HandIn(ctx, a, store.Bounds{})
					assert.NoError(t, err)
					mu.Lock()
					ids[i] = append(ids[i], a.ID)
					mu.Unlock()
					time.Sleep(20 * time.Millisecond)
				}
			})
		}
	}
	time.Sleep(100 * time.Millisecond)
	preferred := stores[2].Node()
	require.NoError(t, nodes.Nodes[2].Kill())
	require.Eventually(t, func() bool { return stores[2].Node() != preferred }, 20*time.Second, 20*time.Millisecond,
		"it goes on with another node")
	clients.Wait()
	require.NoError(t, nodes.Rejoin(ctx, 2))
	require.Eventually(t, func() bool { return stores[2].Node() == preferred }, 20*time.Second, 20*time.Millisecond,
		"and comes back")

	deadline := time.Now().Add(time.Minute)
	for {
		n, err := stores[0].QueueLength(ctx)
		require.NoError(t, err)
		if n == 0 {
			break
		}
		require.True(t, time.Now().Before(deadline), "%d attempts still wait", n)
		time.Sleep(20 * time.Millisecond)
	}
	stop()
	workers.Wait()
	for i := range ids {
		numbers := map[int]bool{}
		for _, id := range ids[i] {
			line, err := stores[2].AttemptByID(ctx, id)
			require.NoError(t, err)
			require.NotNil(t, line.Verdict, "attempt %d has no verdict", id)
			assert.Equal(t, "agrees", *line.Verdict)
			assert.False(t, numbers[line.Number], "two attempts have the number %d", line.Number)
			numbers[line.Number] = true
		}
		assert.Len(t, numbers, each)
	}
}
