-- For the picture of an editor: takes a tag off the page, shows the finding, and lists its repairs.
vim.o.number, vim.o.background, vim.o.cmdheight, vim.o.signcolumn = true, "light", 8, "yes"
vim.cmd("highlight LineNr ctermfg=245 | highlight SignColumn ctermbg=NONE | highlight NormalFloat ctermbg=254")
local client = vim.lsp.start_client({ name = "merry", cmd = { "merry", "editor" }, root_dir = vim.fn.getcwd() })
vim.lsp.buf_attach_client(0, client)
vim.diagnostic.config({ virtual_text = { format = function(d) return vim.split(d.message, "\n")[1] end } })
vim.defer_fn(function()
  vim.fn.search("js/oarlock.min.js")
  vim.cmd("delete")
  vim.wait(10000, function() return #vim.diagnostic.get(0) > 0 end, 20)
  local first = vim.diagnostic.get(0)[1]
  vim.api.nvim_win_set_cursor(0, { first.lnum + 1, first.col })
  vim.diagnostic.open_float({ focusable = false })
  local params = vim.lsp.util.make_range_params()
  params.context = { diagnostics = {} }
  local titles = {}
  for _, answer in pairs(vim.lsp.buf_request_sync(0, "textDocument/codeAction", params, 10000) or {}) do
    for i, action in ipairs(answer.result or {}) do table.insert(titles, i .. ": " .. action.title) end
  end
  table.insert(titles, 1, "Code actions:")
  vim.cmd("redraw")
  vim.api.nvim_echo({ { table.concat(titles, "\n") } }, false, {})
  vim.defer_fn(function() vim.fn.writefile({}, os.getenv("DONE")) end, 300)
end, 800)
