// What the page's own scripts are held to.
import js from './frontend/node_modules/@eslint/js/src/index.js';
import globals from './frontend/node_modules/globals/index.js';

export default [
  js.configs.recommended,
  {
    files: ['**/*.js', '**/*.mjs'],
    languageOptions: {
      ecmaVersion: 'latest',
      sourceType: 'module',
      globals: { ...globals.browser, Alpine: 'readonly', htmx: 'readonly' },
    },
    rules: {
      eqeqeq: 'error',
      'no-unused-expressions': 'off',
      'no-var': 'error',
      'prefer-const': ['error', { destructuring: 'all' }],
    },
  },
];
