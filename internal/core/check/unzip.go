package check

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"io/fs"
	"strings"
)

// PlainPath refuses names of files that leave a folder or are not written plainly.
func PlainPath(name string) error {
	if !fs.ValidPath(name) || strings.Contains(name, "\\") || len(name) > 200 {
		return fmt.Errorf("%.60q is not a plain name below a folder, like own-1/per_rope.csv", name)
	}
	return nil
}

// mostEntries bounds the entries of an archive, folders among them, before it is read.
const mostEntries = 2 * MaxFiles

// Unzip calls each for every file of an archive, which may hold as much as arrays handed in may.
func Unzip(raw []byte, each func(name string, body []byte) error) error {
	if bytes.Count(raw, []byte("PK\x01\x02")) > mostEntries {
		return fmt.Errorf("the archive has more than %d entries", mostEntries)
	}
	z, err := zip.NewReader(bytes.NewReader(raw), int64(len(raw)))
	if err != nil {
		return fmt.Errorf("the archive cannot be read: %w", err)
	}
	left := int64(MaxResultBytes)
	files := 0
	for _, f := range z.File {
		if strings.HasSuffix(f.Name, "/") {
			continue
		}
		if files++; files > MaxFiles {
			return fmt.Errorf("the archive has more than %d files", MaxFiles)
		}
		if strings.HasSuffix(strings.ToLower(f.Name), ".zip") {
			return fmt.Errorf("%.60q is an archive inside an archive", f.Name)
		}
		if err := PlainPath(f.Name); err != nil {
			return err
		}
		body, err := unpacked(f, left)
		if err != nil {
			return err
		}
		left -= int64(len(body))
		if err := each(f.Name, body); err != nil {
			return err
		}
	}
	return nil
}

func unpacked(f *zip.File, left int64) ([]byte, error) {
	r, err := f.Open()
	if err != nil {
		return nil, fmt.Errorf("%s: %w", f.Name, err)
	}
	defer r.Close()
	body, err := io.ReadAll(io.LimitReader(r, left+1))
	if err != nil {
		return nil, fmt.Errorf("%s: %w", f.Name, err)
	}
	if int64(len(body)) > left {
		return nil, fmt.Errorf("the archive unpacks to more than %d bytes", MaxResultBytes)
	}
	return body, nil
}
