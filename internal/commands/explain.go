package commands

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/spf13/cobra"

	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

func (a *app) explainCommand() *cobra.Command {
	var find string
	c := &cobra.Command{
		Use:   "explain [WORD]",
		Short: "Explain a function, an operator, a finding, a cause or a piece of advice",
		Long: "Explains any word of the notation with an example that runs, and the codes of findings, causes\n" +
			"and advice. Without a word it lists them by topic; --search looks for a text in them.",
		Example: `  nimbus explain mean
  nimbus explain shape.broadcast
  nimbus explain 'cumulative sum'
  nimbus explain hidden case
  nimbus explain --search standard
  nimbus explain`,
		Args: cobra.ArbitraryArgs,
		ValidArgsFunction: func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
			return a.explainable(), cobra.ShellCompDirectiveNoFileComp
		},
		RunE: func(c *cobra.Command, args []string) error {
			if find != "" {
				return a.searchText(find)
			}
			if len(args) == 0 {
				return a.explainAll()
			}
			return a.explain(c.Context(), strings.Join(args, " "))
		},
	}
	c.Flags().StringVar(&find, "search", "", "list the words whose description holds this text")
	return c
}

func (a *app) explainable() []string {
	words := functions.Names()
	for _, e := range notation.Entries {
		words = append(words, e.Word)
	}
	for _, e := range codes.Table {
		words = append(words, string(e.Code))
	}
	for _, c := range notation.Concepts {
		words = append(words, c.Word)
	}
	return words
}

// keywords lists what else a word is called.
func keywords(word string) []string {
	if f := functions.Lookup(word); f != nil {
		return f.Keywords()
	}
	for _, c := range notation.Concepts {
		if c.Word == word {
			return c.Keywords
		}
	}
	return nil
}

// plain is a word as it is compared with others: without case, hyphens and a plural s.
func plain(text string) string {
	words := strings.FieldsFunc(strings.ToLower(text), func(r rune) bool {
		return r == ' ' || r == '-' || r == '_' ||
			r == '.'
	})
	for i, w := range words {
		if len(w) > 3 && !strings.HasSuffix(w, "ss") {
			words[i] = strings.TrimSuffix(w, "s")
		}
	}
	return strings.Join(words, " ")
}

// byKeyword lists the words that are called so: by their own name in another spelling, or
// by a keyword. The first by name is alone.
func byKeyword(text string) []string {
	text = plain(text)
	seen := map[string]bool{}
	var out []string
	for _, word := range (&app{}).explainable() {
		if plain(word) == text {
			return []string{word}
		}
		for _, k := range keywords(word) {
			if plain(k) == text && !seen[word] {
				seen[word] = true
				out = append(out, word)
			}
		}
	}
	return out
}

// nearest offers words by their spelling, and by what they are about.
func (a *app) nearest(text string) string {
	if hint := notation.Offer(notation.Nearest(text, a.explainable())); hint != "" {
		return hint
	}
	type match struct {
		word  string
		score int
	}
	var list []match
	wanted := strings.Fields(plain(text))
	for _, word := range a.explainable() {
		x, _ := describeWord(word)
		name, keys, doc := " "+plain(word)+" ", " "+plain(strings.Join(keywords(word), " "))+" ", " "+plain(x.Doc)+" "
		score := 0
		for _, w := range wanted {
			switch {
			case strings.Contains(name, " "+w+" "):
				score += 5
			case strings.Contains(keys, " "+w+" "):
				score += 4
			case len(w) > 3 && (strings.Contains(name, w) || strings.Contains(keys, w)):
				score += 2
			case len(w) > 3 && strings.Contains(doc, " "+w+" "):
				score++
			}
		}
		if score > 0 {
			list = append(list, match{word, score})
		}
	}
	slices.SortStableFunc(list, func(a, b match) int { return b.score - a.score })
	if len(list) == 0 {
		return "`nimbus explain` lists them all"
	}
	var near []string
	for _, m := range list[:min(5, len(list))] {
		near = append(near, "`"+m.word+"`")
	}
	return "nearest in meaning: " + strings.Join(near, ", ")
}

// explanation is what explain prints of a word, as JSON too.
type explanation struct {
	Word      string   `json:"word"`
	Kind      string   `json:"kind"`
	Signature string   `json:"signature,omitempty"`
	Doc       string   `json:"doc"`
	Shape     string   `json:"shape,omitempty"`
	Example   string   `json:"example"`
	Result    string   `json:"result"`
	Relatives []string `json:"relatives,omitempty"`
}

func (a *app) explain(ctx context.Context, word string) error {
	x, ok := describeWord(word)
	if !ok {
		if named := byKeyword(word); len(named) == 1 {
			x, ok = describeWord(named[0])
		} else if len(named) > 1 {
			return wrongUse("%q may be %s; `nimbus explain WORD` explains each", word, notation.JoinWords(named, "or"))
		}
	}
	if !ok {
		return wrongUse("there is no word `%s`; %s", word, a.nearest(word))
	}
	if x.Kind != string(codes.Cause) && x.Kind != string(codes.Advice) && x.Example != "" {
		x.Result = a.runExample(ctx, x.Example)
	}
	if a.output == "json" {
		return a.json(x)
	}
	a.printf("%s  (%s)\n", a.paint("1", x.Word), x.Kind)
	if x.Signature != "" && x.Signature != x.Word {
		a.printf("  %s\n", x.Signature)
	}
	a.printf("\n%s", paragraphs(x.Doc))
	if x.Shape != "" {
		a.printf("%s", paragraphs("Shape of the result: "+x.Shape+"."))
	}
	if x.Example != "" {
		a.printf("\n  %s\n", strings.ReplaceAll(x.Example, "\n", "\n  "))
	}
	if x.Result != "" {
		a.printf("%s", indent(x.Result, "    "))
	}
	if len(x.Relatives) > 0 {
		a.printf("\n%s", paragraphs("See also: "+strings.Join(x.Relatives, ", ")))
	}
	return nil
}

func describeWord(word string) (explanation, bool) {
	if f := functions.Lookup(word); f != nil {
		return explanation{Word: f.Name, Kind: "function, " + string(f.Topic), Signature: f.Signature, Doc: f.Describe(),
			Shape: f.Shape, Example: "result = " + f.Example, Relatives: f.Relatives}, true
	}
	i := slices.IndexFunc(notation.Entries, func(e notation.Entry) bool { return e.Word == word })
	if i < 0 {
		return describeCode(word)
	}
	e := notation.Entries[i]
	return explanation{Word: e.Word, Kind: e.Kind, Doc: e.Doc, Example: e.Example}, true
}

// describeCode explains a code, or an idea.
func describeCode(word string) (explanation, bool) {
	if e, ok := codes.Lookup(codes.Code(word)); ok {
		doc := e.When
		if e.Kind == codes.Cause {
			doc = strings.ToUpper(e.Words[:1]) + e.Words[1:] + ".\n" + doc
		}
		if e.Question != "" {
			doc += "\nThe student is asked: " + e.Question
		}
		return explanation{Word: word, Kind: string(e.Kind), Doc: doc, Example: e.Example}, true
	}
	for _, c := range notation.Concepts {
		if c.Word == word {
			return explanation{Word: word, Kind: "idea", Doc: c.Doc, Example: c.Example, Relatives: c.See}, true
		}
	}
	return explanation{}, false
}

// search lists the words whose name, signature or doc holds a text.
func search(text string) []explanation {
	text = strings.ToLower(text)
	var out []explanation
	for _, w := range (&app{}).explainable() {
		x, _ := describeWord(w)
		if strings.Contains(strings.ToLower(x.Word+" "+x.Signature+" "+x.Doc+" "+strings.Join(keywords(w), " ")), text) {
			out = append(out, x)
		}
	}
	return out
}

func (a *app) searchText(text string) error {
	found := search(text)
	if a.output == "json" {
		return a.json(found)
	}
	for _, x := range found {
		doc, _, _ := strings.Cut(x.Doc, "\n")
		if runes := []rune(doc); len(runes) > 90 {
			doc = string(runes[:90]) + "…"
		}
		a.printf("%-20s %s\n", x.Word, doc)
	}
	if len(found) == 0 {
		return wrongUse("nothing speaks of %q; `nimbus explain` lists all words", text)
	}
	return nil
}

// runExample runs an example and draws what it gives: its last value, or what it
// provokes.
func (a *app) runExample(ctx context.Context, text string) string {
	program, errs := notation.Parse(text)
	if len(errs) == 0 {
		errs = evaluate.Check(program, nil)
	}
	if len(errs) > 0 {
		return notation.Draw(errs[0], program.Source, "")
	}
	result := evaluate.Run(ctx, program, nil, evaluate.Options{Limits: evaluate.CheckLimits})
	var b strings.Builder
	if order := result.Order(); len(order) > 0 && result.Error == nil {
		name := order[len(order)-1]
		v := result.Value(name)
		fmt.Fprintf(&b, "%s  %s  %s\n%s", name, v.Kind(), shapeStrip(v), grid(v, 0, short))
	}
	for _, n := range result.Notices {
		b.WriteString(notation.Draw(n, program.Source, ""))
	}
	if result.Error != nil {
		b.WriteString(notation.Draw(result.Error, program.Source, ""))
	}
	return b.String()
}

func indent(text, pad string) string {
	lines := strings.Split(strings.TrimSuffix(text, "\n"), "\n")
	return pad + strings.Join(lines, "\n"+pad) + "\n"
}

// explainAll lists every word by topic.
func (a *app) explainAll() error {
	type group struct {
		Topic string   `json:"topic"`
		Words []string `json:"words"`
	}
	var groups []group
	for _, t := range functions.Topics {
		var words []string
		for _, f := range functions.ByTopic(t) {
			words = append(words, f.Name)
		}
		if len(words) > 0 {
			groups = append(groups, group{string(t), words})
		}
	}
	for _, kind := range notation.EntryKinds() {
		var words []string
		for _, e := range notation.Entries {
			if e.Kind == kind {
				words = append(words, e.Word)
			}
		}
		groups = append(groups, group{kind, words})
	}
	for _, kind := range codes.Kinds {
		var words []string
		for _, e := range codes.Of(kind) {
			words = append(words, string(e.Code))
		}
		groups = append(groups, group{string(kind), words})
	}
	var ideas []string
	for _, c := range notation.Concepts {
		ideas = append(ideas, c.Word)
	}
	groups = append(groups, group{"idea", ideas})
	if a.output == "json" {
		return a.json(groups)
	}
	for _, g := range groups {
		a.printf("%s\n%s\n", a.paint("1", g.Topic), indent(wrap(g.Words, "  ", 76), "  "))
	}
	a.printf("`nimbus explain WORD` says more, with an example that runs.\n")
	return nil
}

// paragraphs lays lines of text out for reading, whatever the terminal's width.
func paragraphs(text string) string {
	var b strings.Builder
	for line := range strings.Lines(text) {
		b.WriteString(indent(wrap(strings.Fields(line), " ", 96), "  "))
	}
	return b.String()
}

// wrap lays words in lines of at most a width, in characters.
func wrap(words []string, between string, width int) string {
	var b strings.Builder
	at := 0
	for i, w := range words {
		if i > 0 {
			if at+utf8.RuneCountInString(w)+len(between) > width {
				b.WriteString("\n")
				at = 0
			} else {
				b.WriteString(between)
				at += len(between)
			}
		}
		b.WriteString(w)
		at += utf8.RuneCountInString(w)
	}
	return b.String()
}
