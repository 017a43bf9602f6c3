package e2e

import (
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/client"
	"nimbusreach/client/wire"
	"nimbusreach/e2e/browser"
)

// TestDraftsOfTwoDevices: each text is written from a version; one from an older version changes nothing, and is
// answered with what lies there.
func TestDraftsOfTwoDevices(t *testing.T) {
	w := start(t, 1)
	w.enrol(t, team)
	ctx := background(t)
	phone, desk, bree := w.as(t, "ada"), w.as(t, "ada"), w.as(t, "bree")
	keep := func(c *client.Client, program string, from int) (*wire.OwnDraft, error) {
		return c.KeepDraft(ctx, course, "rope-means", wire.OwnDraft{Program: program, Version: from,
			WrittenAt: time.Now().Add(-time.Minute)})
	}
	e, err := phone.Exercise(ctx, course, "rope-means")
	require.NoError(t, err)
	assert.Nil(t, e.Draft)
	kept, err := keep(phone, "x = 1", 0)
	require.NoError(t, err)
	assert.Equal(t, 1, kept.Version)
	kept, err = keep(desk, "x = 2", 1)
	require.NoError(t, err)
	assert.Equal(t, 2, kept.Version)

	for _, from := range []int{0, 1, 3, -1} {
		_, err = keep(phone, "x = 3", from)
		var p *client.Error
		require.True(t, errors.As(err, &p))
		assert.Equal(t, 409, p.Status)
		require.NotNil(t, p.Draft)
		assert.Equal(t, "x = 2", p.Draft.Program)
		assert.Equal(t, 2, p.Draft.Version)
	}
	e, err = phone.Exercise(ctx, course, "rope-means")
	require.NoError(t, err)
	assert.Equal(t, "x = 2", e.Draft.Program)
	assert.WithinDuration(t, time.Now().Add(-time.Minute), e.Draft.WrittenAt, 30*time.Second)
	e, err = bree.Exercise(ctx, course, "rope-means")
	require.NoError(t, err)
	assert.Nil(t, e.Draft, "it is ada's")

	lost, err := keep(bree, "y = 1", 7)
	require.NoError(t, err, "a version that the service does not know")
	assert.Equal(t, 1, lost.Version)
	late := time.Now().Add(time.Hour)
	ahead, err := bree.KeepDraft(ctx, course, "rope-means", wire.OwnDraft{Version: 1, WrittenAt: late})
	require.NoError(t, err)
	assert.False(t, ahead.WrittenAt.After(time.Now()), "a clock that is ahead")
}

// TestWhenAHandInWasWritten keeps the time of the device on which it waited; the one it arrived at counts.
func TestWhenAHandInWasWritten(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	ctx := background(t)
	ada := w.as(t, "ada")
	written := time.Now().Add(-3 * time.Hour).Truncate(time.Second)
	a, err := ada.HandInWritten(ctx, course, "rope-means", right, "one-key", written, 20)
	require.NoError(t, err)
	require.NotNil(t, a.WrittenAt)
	assert.True(t, written.Equal(*a.WrittenAt))
	assert.WithinDuration(t, time.Now(), a.HandedIn, time.Minute)
	again, err := ada.HandInWritten(ctx, course, "rope-means", right, "one-key", written, 20)
	require.NoError(t, err)
	assert.Equal(t, a.ID, again.ID, "sent twice, stored once")
	team, err := w.as(t, "aron").Attempt(ctx, a.ID, 0)
	require.NoError(t, err)
	assert.True(t, written.Equal(*team.WrittenAt))

	a, err = ada.HandIn(ctx, course, "rope-means", right, "", 20)
	require.NoError(t, err)
	assert.Nil(t, a.WrittenAt, "it did not wait")
	a, err = ada.HandInWritten(ctx, course, "rope-means", right, "", time.Now().Add(time.Hour), 20)
	require.NoError(t, err)
	assert.Nil(t, a.WrittenAt, "a clock that is ahead says nothing")
}

// TestDraftsFollowTheirWriter goes from one device to another; where both wrote, the other text is offered, and none is
// lost. A browser that keeps nothing says so, and the service has the text.
func TestDraftsFollowTheirWriter(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	ada := w.as(t, "ada")
	path := "/courses/" + course + "/exercises/rope-means"
	phone := open(t, w, "ada")
	require.NoError(t, phone.Go(path))
	require.NoError(t, phone.Write("per_rope = 1"))
	kept := func(program string) {
		t.Helper()
		require.Eventually(t, func() bool {
			e, err := ada.Exercise(background(t), course, "rope-means")
			return err == nil && e.Draft != nil && e.Draft.Program == program
		}, browser.Patience, 100*time.Millisecond)
	}
	kept("per_rope = 1")
	desk := open(t, w, "ada")
	require.NoError(t, desk.Go(path))
	require.NoError(t, desk.AwaitText("[data-editor] .cm-content", "per_rope = 1"))

	require.NoError(t, desk.Offline(true))
	require.NoError(t, desk.AwaitText("[data-offline]", "No connection"))
	require.NoError(t, desk.Write("per_rope = 22"))
	require.NoError(t, phone.Write("per_rope = 333"))
	kept("per_rope = 333")
	require.NoError(t, desk.Offline(false))
	require.NoError(t, desk.AwaitText("[data-other]", "written on this device"))
	require.NoError(t, desk.AwaitText("[data-editor] .cm-content", "per_rope = 333"), "the newer one")
	usable(t, desk, "another text that is offered")
	require.NoError(t, desk.Go(path))
	require.NoError(t, desk.AwaitText("[data-other]", "written on this device"), "it is offered until one decides")
	press(t, desk, "Go on with it")
	require.NoError(t, desk.AwaitText("[data-editor] .cm-content", "per_rope = 22"))
	kept("per_rope = 22")

	_, err := browser.Eval[bool](desk,
		`(Storage.prototype.setItem = () => { throw new DOMException("", "QuotaExceededError") }, true)`)
	require.NoError(t, err)
	require.NoError(t, desk.Write("per_rope = 4444"))
	require.NoError(t, desk.AwaitText("[data-unkept]", "storage is full or forbidden"))
	kept("per_rope = 4444")
}
