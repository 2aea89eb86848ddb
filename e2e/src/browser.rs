//! Headless Chromium through ChromeDriver.

use std::{
    path::Path,
    process::{Child, Command, Stdio},
    time::Duration,
};

use fantoccini::{
    Client, ClientBuilder, Locator,
    actions::{InputSource, KeyAction, KeyActions, MouseActions, PointerAction},
    wd::WebDriverCompatibleCommand,
};
use serde_json::{Value, json};

use crate::app::port_said;

/// How long something on a page may take. Two cores that do other work beside a test are slow; waiting long costs nothing where
/// things come right.
pub const PATIENCE: Duration = Duration::from_secs(400);

/// A browser with one window of 1280 × 800.
pub struct Browser {
    driver: Child,
    /// What steers it.
    pub client: Client,
    /// It has WebGL.
    has_stage: bool,
    _profile: tempfile::TempDir,
}

#[derive(Debug)]
struct Extension {
    path: &'static str,
    body: Value,
}

impl WebDriverCompatibleCommand for Extension {
    fn endpoint(
        &self,
        base: &url::Url,
        session: Option<&str>,
    ) -> Result<url::Url, url::ParseError> {
        base.join(&format!(
            "session/{}/{}",
            session.unwrap_or_default(),
            self.path
        ))
    }

    fn method_and_body(&self, _: &url::Url) -> (http::Method, Option<String>) {
        (http::Method::POST, Some(self.body.to_string()))
    }
}

impl Browser {
    /// Starts a browser that downloads into `downloads`.
    pub async fn start(downloads: &Path) -> Self {
        Self::with(downloads, &[]).await
    }

    /// The same without WebGL: stages stay empty, and pages take a fraction of the time.
    pub async fn without_stage(downloads: &Path) -> Self {
        Self::with(downloads, &["--disable-3d-apis"]).await
    }

    async fn with(downloads: &Path, further: &[&str]) -> Self {
        let profile = tempfile::tempdir().expect("a folder for the profile");
        let mut driver = Command::new("chromedriver")
            .arg("--port=0")
            .env("TMPDIR", profile.path())
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .expect("chromedriver; ./check installs it");
        let port = port_said(&mut driver, "started successfully on port ");
        let mut options = json!({
            "args": [
                "--headless=new", "--no-sandbox", "--use-gl=angle", "--use-angle=swiftshader",
                "--enable-unsafe-swiftshader", "--force-device-scale-factor=1", "--hide-scrollbars",
                "--disable-quic", "--no-first-run", "--disable-background-networking",
                "--disable-component-update", "--disable-sync", "--window-size=1280,800",
                format!("--user-data-dir={}", profile.path().join("profile").display()),
            ],
            "prefs": {
                "download.default_directory": downloads,
                "download.prompt_for_download": false,
            },
        });
        if let Some(args) = options["args"].as_array_mut() {
            args.extend(further.iter().map(|&arg| arg.into()));
        }
        let capabilities = json!({
            "goog:chromeOptions": options,
            "goog:loggingPrefs": { "browser": "ALL" },
        });
        let connector = hyper_util::client::legacy::connect::HttpConnector::new();
        let mut tries = 0;
        let client = loop {
            let mut builder = ClientBuilder::new(connector.clone());
            let Value::Object(map) = capabilities.clone() else {
                unreachable!()
            };
            match builder
                .capabilities(map)
                .connect(&format!("http://127.0.0.1:{port}"))
                .await
            {
                Ok(client) => break client,
                Err(error) => {
                    tries += 1;
                    assert!(tries < 60, "no browser: {error}");
                    tokio::time::sleep(Duration::from_millis(250)).await;
                }
            }
        };
        let browser = Self {
            driver,
            client,
            has_stage: further.is_empty(),
            _profile: profile,
        };
        browser
            .extension(
                "goog/cdp/execute",
                json!({
                    "cmd": "Emulation.setDeviceMetricsOverride",
                    "params": { "width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": false },
                }),
            )
            .await;
        browser
    }

    async fn extension(&self, path: &'static str, body: Value) -> Value {
        self.client
            .issue_cmd(Extension { path, body })
            .await
            .unwrap_or_else(|e| panic!("{path}: {e}"))
    }

    /// Opens an address.
    pub async fn open(&self, url: &str) {
        self.client.goto(url).await.expect("the page opens");
    }

    /// Waits for a CSS selector and returns its text.
    pub async fn text(&self, selector: &str) -> String {
        let deadline = tokio::time::Instant::now() + PATIENCE;
        loop {
            let found = self
                .client
                .wait()
                .at_most(PATIENCE)
                .for_element(Locator::Css(selector))
                .await
                .unwrap_or_else(|e| panic!("{selector}: {e}"));
            // What is drawn anew at that moment is looked for again.
            match found.text().await {
                Ok(text) => return text,
                Err(e) => assert!(
                    tokio::time::Instant::now() < deadline,
                    "{selector} stays unread: {e}"
                ),
            }
        }
    }

    /// Clicks what a selector finds. What is drawn anew at that moment is looked for again, and so is what moved away under
    /// the mouse: the page notes where the click arrived.
    pub async fn click(&self, selector: &str) {
        let deadline = tokio::time::Instant::now() + PATIENCE;
        let listen = "window.arrived = false; document.addEventListener('click', \
             (e) => { window.arrived = Boolean(e.target.closest(arguments0)); }, { capture: true, once: true });"
            .replace("arguments0", &Value::from(selector).to_string());
        loop {
            self.run(&listen).await;
            let clicked = match self.client.find(Locator::Css(selector)).await {
                Ok(element) => element.click().await,
                Err(error) => Err(error),
            };
            // A click that opened another page left no note there.
            let missed = "return window.arrived === false;";
            let missed = self.client.execute(missed, Vec::new()).await;
            let why = match (clicked, missed) {
                (Ok(()), Ok(Value::Bool(true))) => "the click arrived elsewhere".to_owned(),
                (Ok(()), _) => return,
                (Err(error), _) => error.to_string(),
            };
            assert!(tokio::time::Instant::now() < deadline, "{selector}: {why}");
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
    }

    /// Types a text into the field that a selector finds, in place of what stands there. A field that is drawn anew meanwhile is
    /// looked for again.
    pub async fn enter(&self, selector: &str, text: &str) {
        let deadline = tokio::time::Instant::now() + PATIENCE;
        let stands = format!(
            "return document.querySelector({})?.value === {};",
            Value::from(selector),
            Value::from(text)
        );
        loop {
            let typed = async {
                let field = self.client.find(Locator::Css(selector)).await?;
                field.clear().await?;
                field.send_keys(text).await
            };
            let why = match typed.await {
                Ok(()) if self.run(&stands).await == Value::Bool(true) => return,
                Ok(()) => "the text does not stand there".to_owned(),
                Err(error) => error.to_string(),
            };
            assert!(tokio::time::Instant::now() < deadline, "{selector}: {why}");
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
    }

    /// Presses keys one after the other, wherever the keyboard is; WebDriver's letters for Shift and Ctrl hold these until the end.
    pub async fn press(&self, keys: &str) {
        let is_held = |key: char| matches!(key, '\u{E008}' | '\u{E009}');
        let mut actions = KeyActions::new("keyboard".to_owned());
        for value in keys.chars() {
            actions = actions.then(KeyAction::Down { value });
            if !is_held(value) {
                actions = actions.then(KeyAction::Up { value });
            }
        }
        for value in keys.chars().filter(|&key| is_held(key)) {
            actions = actions.then(KeyAction::Up { value });
        }
        let pressed = self.client.perform_actions(actions).await;
        pressed.unwrap_or_else(|e| panic!("{keys:?}: {e}"));
    }

    /// Gives the file field that has the keyboard a file: a browser without a screen has no window to choose it in.
    pub async fn give(&self, file: &Path) {
        let field = self.client.active_element().await;
        let field = field.expect("something has the keyboard");
        let given = field.send_keys(&file.to_string_lossy()).await;
        given.expect("the field takes a file");
    }

    /// Goes from one thing to the next with the Tab key until it is at what a selector finds.
    ///
    /// # Panics
    /// When 400 presses do not lead there, or it does not show that it has the keyboard.
    pub async fn tab_to(&self, selector: &str) {
        let wanted = Value::from(selector);
        let there = format!(
            "const e = document.activeElement; if (!e?.matches({wanted})) return false; \
             const s = getComputedStyle(e); return e.type === 'file' || (s.outlineStyle !== 'none' && parseFloat(s.outlineWidth) >= 1) ? true : 'unseen';"
        );
        for _ in 0..400 {
            self.press("\u{E004}").await;
            match self.run(&there).await {
                Value::Bool(true) => return,
                Value::String(_) => panic!("{selector} does not show that it has the keyboard"),
                _ => {}
            }
        }
        panic!("the Tab key does not lead to {selector}");
    }

    /// Runs a script and returns what it returns.
    pub async fn run(&self, script: &str) -> Value {
        self.client
            .execute(script, Vec::new())
            .await
            .unwrap_or_else(|e| panic!("{script}: {e}"))
    }

    /// Waits until an expression is true on the page.
    pub async fn until(&self, expression: &str) {
        let deadline = tokio::time::Instant::now() + PATIENCE;
        let script = format!("return Boolean({expression});");
        loop {
            let there = self.client.execute(&script, Vec::new()).await;
            if matches!(there, Ok(Value::Bool(true))) {
                return;
            }
            assert!(
                tokio::time::Instant::now() < deadline,
                "never came true: {expression}"
            );
            tokio::time::sleep(Duration::from_millis(150)).await;
        }
    }

    /// Presses the mouse at one place, drags it to another and lets go.
    pub async fn drag(&self, from: (i64, i64), to: (i64, i64)) {
        let at = |(x, y): (i64, i64), ms| PointerAction::MoveTo {
            duration: Some(Duration::from_millis(ms)),
            x: x as f64,
            y: y as f64,
        };
        let button = fantoccini::actions::MOUSE_BUTTON_LEFT;
        let actions = MouseActions::new("mouse".to_owned())
            .then(at(from, 0))
            .then(PointerAction::Down { button })
            .then(at(((from.0 + to.0) / 2, (from.1 + to.1) / 2), 80))
            .then(at(to, 80))
            .then(PointerAction::Up { button });
        self.client
            .perform_actions(actions)
            .await
            .expect("the drag");
    }

    /// Prefers a colour scheme: `light` or `dark`.
    pub async fn prefer(&self, scheme: &str) {
        self.extension(
            "goog/cdp/execute",
            json!({
                "cmd": "Emulation.setEmulatedMedia",
                "params": { "features": [{ "name": "prefers-color-scheme", "value": scheme }] },
            }),
        )
        .await;
    }

    /// Runs a script on every page that is opened from now on, before the page's own.
    pub async fn before_pages(&self, script: &str) {
        self.extension(
            "goog/cdp/execute",
            json!({
                "cmd": "Page.addScriptToEvaluateOnNewDocument",
                "params": { "source": script },
            }),
        )
        .await;
    }

    /// What the page complained about since the last call: errors on its console, but for those of a browser that was told to have no
    /// WebGL.
    pub async fn complaints(&self) -> Vec<String> {
        let log = self.extension("se/log", json!({ "type": "browser" })).await;
        let entries = log.as_array().cloned().unwrap_or_default();
        entries
            .iter()
            .filter(|e| e["level"] == "SEVERE")
            .map(|e| e["message"].to_string())
            .filter(|message| self.has_stage || !message.contains("THREE.WebGLRenderer"))
            .collect()
    }

    /// Closes the window.
    pub async fn close(mut self) {
        let _ = self.client.clone().close().await;
        let _ = self.driver.kill();
        let _ = self.driver.wait();
    }
}

impl Drop for Browser {
    fn drop(&mut self) {
        let _ = self.driver.kill();
        let _ = self.driver.wait();
    }
}
