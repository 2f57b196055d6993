/** Colours of the template language in the editor: directives, values, remarks. The text itself is left alone. */
import { HighlightStyle, StreamLanguage, syntaxHighlighting } from '@codemirror/language';
import { tags } from '@lezer/highlight';

interface State {
  /** How many braces are open inside `@{`. */
  depth: number;
}

const language = StreamLanguage.define<State>({
  startState: () => ({ depth: 0 }),
  token(stream, state) {
    if (stream.sol()) state.depth = 0;
    if (state.depth > 0) {
      const sign = stream.next();
      if (sign === '{') state.depth += 1;
      if (sign === '}') state.depth -= 1;
      return 'variableName';
    }
    if (stream.sol() && stream.match(/^[ \t]*@remark\b.*/)) return 'comment';
    if (stream.sol() && stream.match(/^[ \t]*@[A-Za-z]+.*/)) return 'keyword';
    if (stream.match('@@')) return null;
    if (stream.match('@{')) {
      state.depth = 1;
      return 'variableName';
    }
    stream.next();
    stream.eatWhile((sign: string) => sign !== '@');
    return null;
  },
});

const colours = HighlightStyle.define([
  { tag: tags.keyword, color: 'var(--lake)', fontWeight: '600' },
  { tag: tags.variableName, color: 'var(--pine)', backgroundColor: 'var(--wash)', borderRadius: '2px' },
  { tag: tags.comment, color: 'var(--second)', fontStyle: 'italic' },
]);

export const templateLanguage = [language, syntaxHighlighting(colours)];
