import { theme as antd, type ThemeConfig } from 'antd';

/** The palette by its own names; CSS has the same as variables (look.css). */
const light = {
  pine: '#1f5a45',
  wash: '#e3ede7',
  bark: '#2c2a26',
  second: '#6b655a',
  ground: '#f6f3ec',
  panel: '#fffdf8',
  line: '#e4dfd4',
  lineStrong: '#d6cfbf',
  resin: '#b7791f',
  berry: '#a3303b',
  lake: '#2b6486',
  moss: '#5d7f3c',
  head: '#efe9de',
};

const dark: typeof light = {
  pine: '#5aa585',
  wash: '#1f3a30',
  bark: '#e9e4d8',
  second: '#a8a194',
  ground: '#161a17',
  panel: '#1e2320',
  line: '#2f3531',
  lineStrong: '#414843',
  resin: '#d69a45',
  berry: '#d9707a',
  lake: '#6fa8c9',
  moss: '#93b574',
  head: '#252b27',
};

export type Mode = 'light' | 'dark';

/** `still`: the system asks for less motion; nothing slides or fades then. */
export function themeOf(mode: Mode, still = false): ThemeConfig {
  const c = mode === 'light' ? light : dark;
  return {
    algorithm: mode === 'light' ? antd.defaultAlgorithm : antd.darkAlgorithm,
    token: {
      colorPrimary: c.pine,
      colorInfo: c.lake,
      colorSuccess: c.moss,
      colorWarning: c.resin,
      colorError: c.berry,
      colorLink: c.pine,
      colorText: c.bark,
      colorTextSecondary: c.second,
      colorBgLayout: c.ground,
      colorBgContainer: c.panel,
      colorBgElevated: c.panel,
      colorBorder: c.lineStrong,
      colorBorderSecondary: c.line,
      borderRadius: 4,
      controlHeight: 30,
      fontSize: 14,
      fontFamily: "'Atkinson Hyperlegible Next Variable', sans-serif",
      fontFamilyCode: "'Atkinson Hyperlegible Mono Variable', monospace",
      boxShadow: 'none',
      motionDurationMid: '0.12s',
      motion: !still,
    },
    components: {
      Button: { primaryShadow: 'none', defaultShadow: 'none', dangerShadow: 'none', fontWeight: 600 },
      Table: {
        headerBg: c.head,
        headerColor: c.second,
        cellFontSizeSM: 13.5,
        headerBorderRadius: 4,
        rowHoverBg: c.wash,
        cellPaddingBlockSM: 7,
      },
      Tabs: { titleFontSize: 14, horizontalItemPadding: '8px 0' },
      Drawer: { paddingLG: 20 },
      Form: { itemMarginBottom: 14, verticalLabelPadding: '0 0 3px', labelColor: c.second },
    },
  };
}
