import js from '@eslint/js'
import hooks from 'eslint-plugin-react-hooks'
import ts from 'typescript-eslint'

/** Rooms from the bottom up: what stands further down knows nothing of what stands above. */
const ROOMS = ['time', 'drawing', 'api', 'ui', 'listening', 'seeing', 'features']
const above = (room) => ROOMS.slice(ROOMS.indexOf(room) + 1)

export default ts.config(
  { ignores: ['dist', 'src/api/schema.d.ts'] },
  js.configs.recommended,
  ...ts.configs.recommended,
  {
    files: ['src/**/*.{ts,tsx}'],
    plugins: { 'react-hooks': hooks },
    rules: {
      'react-hooks/rules-of-hooks': 'error',
      'react-hooks/exhaustive-deps': 'error',
      '@typescript-eslint/no-non-null-assertion': 'off',
      '@typescript-eslint/consistent-type-imports': ['error', { fixStyle: 'inline-type-imports' }],
      'max-lines': ['error', 300],
    },
  },
  // Types of what the server sends are spoken of everywhere; functions point down.
  ...ROOMS.filter((room) => above(room).length > 0).map((room) => ({
    files: [`src/${room}/**/*.{ts,tsx}`],
    rules: {
      '@typescript-eslint/no-restricted-imports': [
        'error',
        {
          patterns: [
            { regex: `^(\\.\\./)+(${above(room).join('|')})/`, allowTypeImports: true, message: `${room} stands below this room.` },
          ],
        },
      ],
    },
  })),
  // A feature imports no other feature.
  {
    files: ['src/features/**/*.{ts,tsx}'],
    rules: {
      'no-restricted-imports': ['error', { patterns: [{ regex: '^\\.\\./[a-z]', message: 'Features do not import each other.' }] }],
    },
  },
)
