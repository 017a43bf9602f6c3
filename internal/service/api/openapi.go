package api

import (
	"encoding/json"
	"reflect"
	"regexp"
	"strconv"
	"strings"
	"time"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/notation"
)

var pathParameter = regexp.MustCompile(`\{(\w+)\}`)

// object is a JSON object in the making.
type object = map[string]any

// describe writes the OpenAPI document from the table of routes and the forms'
// Go types, so that it cannot say anything else than the code.
func (s *Server) describe() ([]byte, error) {
	forms := schemas{defined: object{}}
	problem := forms.of(reflect.TypeFor[wire.Problem]())
	paths := object{}
	for _, r := range table() {
		path := "/api/v1" + r.path
		if paths[path] == nil {
			paths[path] = object{}
		}
		paths[path].(object)[strings.ToLower(r.method)] = operation(r, &forms, problem)
	}
	return json.Marshal(object{
		"openapi": "3.1.0",
		"info":    object{"title": "Nimbus Reach", "version": "1", "description": "Array exercises that say what differs, where and why. Errors are RFC 9457 problem details."},
		"paths":   paths,
		"components": object{
			"schemas": forms.defined,
			"securitySchemes": object{
				"token":  object{"type": "http", "scheme": "bearer"},
				"cookie": object{"type": "apiKey", "in": "cookie", "name": cookieName, "description": "Changes carry X-CSRF-Token as GET /api/v1/session gives it."},
			},
		},
	})
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
	answer := object{"description": r.summary}
	if r.out != nil {
		media := "application/json"
		if r.stream {
			media = "text/event-stream"
		}
		answer["content"] = object{media: object{"schema": forms.of(reflect.TypeOf(r.out))}}
	}
	op := object{
		"operationId": r.id, "summary": r.summary, "parameters": parameters,
		"security": []object{{"token": []string{}}, {"cookie": []string{}}},
		"responses": object{
			strconv.Itoa(r.status): answer,
			"default":              object{"description": "What went wrong, and one thing to try.", "content": object{"application/problem+json": object{"schema": problem}}},
		},
	}
	if r.public {
		op["security"] = []object{}
	}
	switch {
	case r.in != nil:
		op["requestBody"] = object{"required": true, "content": object{"application/json": object{"schema": forms.of(reflect.TypeOf(r.in))}}}
	case r.binary != "":
		op["requestBody"] = object{"required": true, "content": object{r.binary: object{}}}
	}
	return op
}

type headerRead struct{ name, says string }

// headersRead are the headers that an operation reads beside those of all.
var headersRead = map[string][]headerRead{
	"handIn":  {{"Idempotency-Key", "At most 120 bytes. A repeat with the same attempt answers the first; with another attempt it is a 409."}},
	"publish": {fromRevision},
}

var fromRevision = headerRead{"If-Match", "The revision that the edit began from, in quotes, as ETag gives it; * replaces whatever is current. Another current revision is a 409 that names it. Without it, only a revision that one published oneself is replaced."}

// schemas turns Go types into JSON Schema, each struct once.
type schemas struct{ defined object }

var labelList = object{"type": []string{"array", "null"}, "items": object{"type": []string{"string", "null"}}}

// special holds the types that write their JSON themselves.
var special = map[reflect.Type]object{
	reflect.TypeFor[time.Time](): {"type": "string", "format": "date-time"},
	reflect.TypeFor[dataio.JSON](): {"type": "object", "required": []string{"kind", "shape", "axes", "data"}, "properties": object{
		"kind": object{"enum": []string{"bool", "int", "real", "complex"}}, "shape": object{"type": "array", "items": object{"type": "integer", "minimum": 0}}, "axes": labelList, "data": object{"type": "array"}}},
	reflect.TypeFor[check.Side](): {"type": "object", "required": []string{"kind", "shape", "axes"}, "properties": object{
		"kind": object{"type": "string"}, "shape": object{"type": "array", "items": object{"type": "integer"}}, "axes": labelList}},
	reflect.TypeFor[notation.Shape](): {"type": "object", "required": []string{"shape", "axes"}, "properties": object{
		"shape": object{"type": "array", "items": object{"type": []string{"integer", "null"}}}, "axes": labelList}},
	reflect.TypeFor[json.RawMessage](): {},
}

func (s *schemas) of(t reflect.Type) object {
	if known, ok := special[t]; ok {
		return known
	}
	switch t.Kind() {
	case reflect.Pointer:
		return orNull(s.of(t.Elem()))
	case reflect.Slice:
		return object{"type": "array", "items": s.of(t.Elem())}
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
		// Axes are null when nothing is said of a shape; lists of worst elements
		// and findings are always there.
		if f.Type.Kind() == reflect.Slice && f.Type.Elem().Kind() == reflect.Pointer && f.Type.Elem().Elem().Kind() == reflect.String {
			schema = labelList
		}
		properties[name] = schema
		if options != "omitempty" {
			*required = append(*required, name)
		}
	}
}
