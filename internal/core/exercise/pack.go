package exercise

import (
	"archive/zip"
	"bytes"
	"compress/flate"
	"fmt"
	"io"
	"io/fs"
	"path"
	"slices"
	"strings"
)

// Bounds on a packed course.
const (
	maxFiles       = 2000
	maxCourseBytes = 64 << 20
	// MaxPackedBytes bounds the archive itself.
	MaxPackedBytes = 16 << 20
)

// kept lists the endings of files that belong to a course; the roster and the
// rest of an instructor's folder stay at home.
var kept = []string{".yaml", ".md", ".nra", ".csv", ".json", ".mtx", ".nc"}

// Files is a course folder of texts by path, as an editor holds them; paths are checked
// by the caller.
func Files(texts map[string]string) (fs.FS, error) {
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	for name, text := range texts {
		f, err := w.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Store})
		if err != nil {
			return nil, err
		}
		if _, err := io.WriteString(f, text); err != nil {
			return nil, err
		}
	}
	if err := w.Close(); err != nil {
		return nil, err
	}
	return zip.NewReader(bytes.NewReader(out.Bytes()), int64(out.Len()))
}

// Pack writes a course folder as a zip archive that depends on its contents
// alone: files by name, without times. Hidden files and files of other kinds
// stay out.
func Pack(fsys fs.FS) ([]byte, error) {
	var names []string
	err := fs.WalkDir(fsys, ".", func(name string, d fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case name != "." && strings.HasPrefix(path.Base(name), "."):
			if d.IsDir() {
				return fs.SkipDir
			}
			return nil
		case d.IsDir() || !slices.Contains(kept, path.Ext(name)) || name == "roster.csv":
			return nil
		}
		names = append(names, name)
		if len(names) > maxFiles {
			return fmt.Errorf("the course has more than %d files", maxFiles)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	slices.Sort(names)
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	w.RegisterCompressor(zip.Deflate, func(w io.Writer) (io.WriteCloser, error) {
		return flate.NewWriter(w,
			flate.BestCompression)
	})
	total := int64(0)
	for _, name := range names {
		n, err := pack(w, fsys, name, maxCourseBytes-total)
		if err != nil {
			return nil, err
		}
		total += n
	}
	if err := w.Close(); err != nil {
		return nil, err
	}
	return out.Bytes(), nil
}

// pack copies one file, at most left bytes of it.
func pack(w *zip.Writer, fsys fs.FS, name string, left int64) (int64, error) {
	in, err := fsys.Open(name)
	if err != nil {
		return 0, fmt.Errorf("%s cannot be opened: %w", name, err)
	}
	defer in.Close()
	info, err := in.Stat()
	if err != nil || !info.Mode().IsRegular() {
		return 0, fmt.Errorf("%s is not a plain file", name)
	}
	to, err := w.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Deflate})
	if err != nil {
		return 0, err
	}
	most := min(left, maxFileBytes)
	n, err := io.Copy(to, io.LimitReader(in, most+1))
	switch {
	case err != nil:
		return 0, fmt.Errorf("%s cannot be read: %w", name, err)
	case n > most:
		return 0, fmt.Errorf("%s is too large: a file has at most %d bytes, a course %d", name, maxFileBytes, maxCourseBytes)
	}
	return n, nil
}

// Unpack opens a packed course, refusing archives that are larger inside than a
// course may be.
func Unpack(archive []byte) (fs.FS, error) {
	r, err := zip.NewReader(bytes.NewReader(archive), int64(len(archive)))
	if err != nil {
		return nil, fmt.Errorf("this is not a zip archive: %w", err)
	}
	if len(r.File) > maxFiles {
		return nil, fmt.Errorf("the archive has %d files; a course has at most %d", len(r.File), maxFiles)
	}
	total := uint64(0)
	for _, f := range r.File {
		if !fs.ValidPath(strings.TrimSuffix(f.Name, "/")) || strings.Contains(f.Name, "\\") {
			return nil, fmt.Errorf("the archive holds %q, a path that leaves the course folder", f.Name)
		}
		if f.Mode()&fs.ModeSymlink != 0 {
			return nil, fmt.Errorf("the archive holds %q, a link; put a plain file there", f.Name)
		}
		if total += f.UncompressedSize64; f.UncompressedSize64 > maxFileBytes || total > maxCourseBytes {
			return nil, fmt.Errorf("the archive is too large inside at %q: a file has at most %d bytes, a course %d", f.Name,
				maxFileBytes, maxCourseBytes)
		}
	}
	return r, nil
}
