package api

import (
	"encoding/json"
	"fmt"
	"reflect"
	"regexp"
	"strconv"
	"strings"
	"time"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/notation"
)

var pathParameter = regexp.MustCompile(`\{(\w+)\}`)

// object is a JSON object in the making.
type object = map[string]any

// Document writes the OpenAPI document from the table of routes and the forms' Go types, so
// that it cannot say anything else than the code. docs/openapi.json is this text, and the
// console's types are made from it.
func Document() ([]byte, error) {
	forms := schemas{defined: object{}, types: map[string]reflect.Type{}}
	problem := forms.of(reflect.TypeFor[wire.Problem]())
	paths := object{}
	for _, r := range table() {
		path := "/api/v1" + r.path
		if paths[path] == nil {
			paths[path] = object{}
		}
		paths[path].(object)[strings.ToLower(r.method)] = operation(r, &forms, problem)
	}
	if forms.clash != nil {
		return nil, forms.clash
	}
	return json.MarshalIndent(object{
		"openapi": "3.1.0",
		"info": object{"title": "Nimbus Reach", "version": "1", "description": "Array exercises that say what differs, " +
			"where and why. Errors are RFC 9457 problem details."},
		"paths": paths,
		"components": object{
			"schemas": forms.defined,
			"securitySchemes": object{
				"token": object{"type": "http", "scheme": "bearer"},
				"cookie": object{"type": "apiKey", "in": "cookie", "name": cookieName,
					"description": "Changes carry X-CSRF-Token as GET /api/v1/session gives it."},
			},
		},
	}, "", " ")
}

func operation(r route, forms *schemas, problem object) object {
	parameter := func(in, name string, required bool) object {
		return object{"name": name, "in": in, "required": required, "schema": object{"type": "string"}}
	}
	parameters := []object{}
	for _, m := range pathParameter.FindAllStringSubmatch(r.path, -1) {
		parameters = append(parameters, parameter("path", m[1], true))
	}
	for _, q := range r.query {
		parameters = append(parameters, parameter("query", q, false))
	}
	for _, h := range headersRead[r.id] {
		p := parameter("header", h.name, false)
		p["description"] = h.says
		parameters = append(parameters, p)
	}
	content := object{}
	if r.out != nil {
		media := "application/json"
		if r.stream {
			media = "text/event-stream"
		}
		schema := forms.of(reflect.TypeOf(r.out))
		if r.orOut != nil {
			schema = object{"oneOf": []object{schema, forms.of(reflect.TypeOf(r.orOut))}}
		}
		content[media] = object{"schema": schema}
	}
	for _, m := range r.media {
		content[m] = object{}
	}
	answer := object{"description": r.summary}
	if len(content) > 0 {
		answer["content"] = content
	}
	op := object{
		"operationId": r.id, "summary": r.summary, "parameters": parameters,
		"security": []object{{"token": []string{}}, {"cookie": []string{}}},
		"responses": object{
			strconv.Itoa(r.status): answer,
			"default": object{"description": "What went wrong, and one thing to try.",
				"content": object{"application/problem+json": object{"schema": problem}}},
		},
	}
	if r.public {
		op["security"] = []object{}
	}
	switch {
	case r.in != nil:
		content := object{"application/json": object{"schema": forms.of(reflect.TypeOf(r.in))}}
		if r.files {
			content["multipart/form-data"] = object{"schema": object{"type": "object", "properties": object{
				"ticket": object{"type": "integer"}, "source": object{"type": "string"},
				"files": object{"type": "array", "items": object{"type": "string", "format": "binary"}}}}}
		}
		op["requestBody"] = object{"required": true, "content": content}
	case r.binary != "":
		op["requestBody"] = object{"required": true, "content": object{r.binary: object{}}}
	}
	return op
}

type headerRead struct{ name, says string }

// headersRead are the headers that an operation reads beside those of all.
var headersRead = map[string][]headerRead{
	"handIn": {{"Idempotency-Key", "At most 120 bytes. A repeat with the same attempt answers the first; with another " +
		"attempt it is a 409."}},
	"publish": {fromRevision},
}

var fromRevision = headerRead{"If-Match", "The revision that the edit began from, in quotes, as ETag gives it; * " +
	"replaces whatever is current. Another current revision is a 409 that names it. Without it, only a revision that " +
	"one published oneself is replaced."}

// schemas turns Go types into JSON Schema, each struct once.
type schemas struct {
	defined object
	types   map[string]reflect.Type // by the name they have in the document
	clash   error                   // two types of one name
}

// renamed are types whose own name is another's in the document.
var renamed = map[reflect.Type]string{reflect.TypeFor[exercise.Problem](): "FolderProblem"}

var labelList = object{"type": []string{"array", "null"}, "items": object{"type": []string{"string", "null"}}}

var (
	kinds = []string{"bool", "int", "real", "complex"}

	// cell is one element: real and imaginary part of a complex number, text for what JSON
	// has no number for.
	part = object{"type": []string{"number", "string"}}
	cell = object{"anyOf": []object{
		{"type": "number"}, {"type": "boolean"}, {"type": "string"},
		{"type": "array", "prefixItems": []object{part, part}, "minItems": 2, "maxItems": 2},
	}}
)

func shapeOf(length any) object {
	return object{"type": "object", "required": []string{"shape", "axes"}, "properties": object{
		"shape": object{"type": "array", "items": object{"type": length}}, "axes": labelled,
	}}
}

var labelled = object{"type": "array", "items": object{"type": []string{"string", "null"}}}

// written are the types that write their JSON themselves, by the name of their schema; those
// without a name stand in place.
var written = map[reflect.Type]struct {
	name   string
	schema object
}{
	reflect.TypeFor[time.Time](): {"", object{"type": "string", "format": "date-time"}},
	reflect.TypeFor[dataio.JSON](): {"Array", object{
		"type": "object", "required": []string{"kind", "shape", "axes", "data"},
		"properties": object{
			"kind": object{"type": "string", "enum": kinds}, "axes": labelList,
			"shape": object{"type": "array", "items": object{"type": "integer", "minimum": 0}},
			"data":  object{"type": "array", "items": object{"$ref": "#/components/schemas/Cell"}},
		},
	}},
	reflect.TypeFor[check.Side](): {"Side", object{
		"type": "object", "required": []string{"kind", "shape", "axes"},
		"properties": object{
			"kind": object{"type": "string", "enum": kinds}, "axes": labelled,
			"shape": object{"type": "array", "items": object{"type": "integer"}},
		},
	}},
	reflect.TypeFor[notation.Shape](): {"Shape", shapeOf([]string{"integer", "null"})},
	reflect.TypeFor[check.Word](): {"VerdictWord", object{"type": "string", "enum": []check.Word{check.Agrees,
		check.Differs, check.Failed, check.Refused}}},
	// Single elements are the one thing that is written as raw JSON.
	reflect.TypeFor[json.RawMessage](): {"Cell", cell},
}

func (s *schemas) of(t reflect.Type) object {
	if w, ok := written[t]; ok {
		if w.name == "" {
			return w.schema
		}
		s.defined[w.name] = w.schema
		if w.name == "Array" {
			s.defined["Cell"] = cell
		}
		return object{"$ref": "#/components/schemas/" + w.name}
	}
	switch t.Kind() {
	case reflect.Pointer:
		return orNull(s.of(t.Elem()))
	case reflect.Slice:
		elem := t.Elem()
		if elem.Kind() == reflect.Pointer {
			elem = elem.Elem() // few lists of ours hold null, which fields see to
		}
		return object{"type": "array", "items": s.of(elem)}
	case reflect.Map:
		return object{"type": "object", "additionalProperties": s.of(t.Elem())}
	case reflect.String:
		return object{"type": "string"}
	case reflect.Bool:
		return object{"type": "boolean"}
	case reflect.Int, reflect.Int64, reflect.Uint64:
		return object{"type": "integer"}
	case reflect.Float64:
		return object{"type": "number"}
	case reflect.Struct:
		return s.structure(t)
	}
	return object{}
}

func orNull(schema object) object {
	return object{"anyOf": []object{schema, {"type": "null"}}}
}

func (s *schemas) structure(t reflect.Type) object {
	name := t.Name()
	if other, ok := renamed[t]; ok {
		name = other
	}
	if before := s.types[name]; before != nil && before != t {
		s.clash = fmt.Errorf("%s and %s are both called %s in the document", before, t, name)
	}
	s.types[name] = t
	ref := object{"$ref": "#/components/schemas/" + name}
	if s.defined[name] != nil {
		return ref
	}
	s.defined[name] = object{} // a type may hold itself
	properties, required := object{}, []string{}
	s.fields(t, properties, &required)
	s.defined[name] = object{"type": "object", "properties": properties, "required": required}
	return ref
}

func (s *schemas) fields(t reflect.Type, properties object, required *[]string) {
	for i := range t.NumField() {
		f := t.Field(i)
		if f.Anonymous {
			s.fields(f.Type, properties, required)
			continue
		}
		name, options, _ := strings.Cut(f.Tag.Get("json"), ",")
		if name == "-" || !f.IsExported() {
			continue
		}
		schema := s.of(f.Type)
		if values, ok := f.Tag.Lookup("enum"); ok {
			schema = enumerated(f.Type, strings.Split(values, ","))
		}
		if f.Type == reflect.TypeFor[[]*string]() {
			schema = labelList // null where nothing is said of a shape
		}
		if f.Tag.Get("items") == "null" {
			schema["items"] = orNull(s.of(f.Type.Elem().Elem()))
		}
		properties[name] = schema
		if options != "omitempty" {
			*required = append(*required, name)
		}
	}
}

// enumerated is the schema of a text, a list of texts or a text that may be null, of which
// there are only some.
func enumerated(t reflect.Type, values []string) object {
	one := object{"type": "string", "enum": values}
	switch t.Kind() {
	case reflect.Pointer:
		return orNull(one)
	case reflect.Slice:
		return object{"type": "array", "items": one}
	}
	return one
}
