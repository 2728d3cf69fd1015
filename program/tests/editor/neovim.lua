-- The language server in a real editor: Neovim, headless, typing as a person would.
-- Started by the script beside it.
-- It needs a repository as the current folder, with `a.raw`, `deep/b.raw` and `out/c.o` in it.

local function fail(what)
  io.stderr:write(what .. "\n")
  vim.cmd("cquit 1")
end

local function wait_for(what, is)
  if not vim.wait(10000, is, 10) then
    fail("it never came to this: " .. what)
  end
end

local function start(buffer)
  -- As an editor's own documentation has it: a command, a folder, and the files it is for.
  if not vim.g.redshank then
    vim.g.redshank = vim.lsp.start_client({
      name = "redshank",
      cmd = { vim.env.REDSHANK, "editor" },
      root_dir = vim.loop.cwd(),
      workspace_folders = { { name = "here", uri = vim.uri_from_fname(vim.loop.cwd()) } },
    })
  end
  vim.lsp.buf_attach_client(buffer, vim.g.redshank)
end

local function types(keys)
  vim.api.nvim_feedkeys(vim.api.nvim_replace_termcodes(keys, true, false, true), "xt", false)
end

local function lenses()
  local said = {}
  local client = vim.lsp.get_client_by_id(vim.g.redshank)
  if not client or not client.server_capabilities then return "" end
  local answers = vim.lsp.buf_request_sync(0, "textDocument/codeLens", { textDocument = { uri = vim.uri_from_bufnr(0) } }, 1000)
  for _, answer in pairs(answers or {}) do
    for _, lens in ipairs(answer.result or {}) do
      table.insert(said, lens.range.start.line .. ": " .. lens.command.title)
    end
  end
  return table.concat(said, "; ")
end

-- A rule is typed, and its hint changes.
vim.cmd("edit .gitignore")
start(0)
wait_for("the server answers", function() return vim.lsp.buf_is_attached(0, vim.g.redshank) and vim.lsp.get_client_by_id(vim.g.redshank).initialized end)
types("ideep/*.raw<Esc>")
wait_for("the rule's hint", function() return lenses() == "0: ignores 1 file, 1 B" end)
types("cc*.raw<Esc>")
wait_for("the hint of the wider rule", function() return lenses() == "0: ignores 2 files, 2 B" end)

-- A misread rule is fixed by a code action.
types("o/out\\c.o<Esc>")
local function diagnostics() return vim.diagnostic.get(0) end
wait_for("the misread rule", function()
  local found = diagnostics()
  return #found == 1 and found[1].lnum == 1 and found[1].message:find("separate folders", 1, true) ~= nil
end)
vim.ui.select = function(items, _, chosen) chosen(items[1], 1) end
vim.lsp.buf.code_action()
wait_for("the fixed rule", function() return vim.api.nvim_buf_get_lines(0, 1, 2, false)[1] == "/out/c.o" end)
wait_for("nothing wrong any more", function() return #diagnostics() == 0 end)

-- A secret is marked before anything is saved.
vim.cmd("enew | file key.pem")
start(0)
local body = {}
math.randomseed(7)
local letters = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789"
for _ = 1, 9 do
  local line = ""
  for _ = 1, 64 do
    local at = math.random(#letters)
    line = line .. letters:sub(at, at)
  end
  table.insert(body, line)
end
local mark = function(word) return ("-----%s RSA %s KEY-----"):format(word, "PRIVATE") end
vim.api.nvim_buf_set_lines(0, 0, -1, false, { mark("BEGIN"), unpack(body) })
vim.api.nvim_buf_set_lines(0, -1, -1, false, { mark("END") })
wait_for("the secret", function()
  local found = diagnostics()
  return #found == 1 and found[1].severity == vim.diagnostic.severity.ERROR
end)
if diagnostics()[1].message:find(body[1], 1, true) then fail("the secret is shown whole") end
if vim.loop.fs_stat("key.pem") or vim.loop.fs_stat(".gitignore") then fail("something was written") end
io.stdout:write("a real editor saw hints change, fixed a rule and was warned of a secret\n")
vim.cmd("qall!")
