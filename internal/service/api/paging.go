package api

// page reads which page of a list is asked for: what is before a number, 0 for all, and how many lines.
func (r *request) page(usual, most uint64) (before, limit uint64, err error) {
	if before, err = r.number("before", 0, 1, 1<<62); err != nil {
		return 0, 0, err
	}
	limit, err = r.number("limit", usual, 1, most)
	return before, limit, err
}

// paged adds the lines of a page, of which one more than asked for was read if there is one, and returns the cursor of
// the page that follows; nil on the last.
func paged[T, C any](list []T, limit uint64, cursor func(*T) C, add func(*T)) *C {
	for i := range list {
		if i == int(limit) {
			next := cursor(&list[i-1])
			return &next
		}
		add(&list[i])
	}
	return nil
}
