-- Takes the tag of a library off the page, waits for the finding, applies its repair, and waits until it is gone.
local function say(text) io.stdout:write(text .. "\n") end
local ok, err = pcall(function()
  local client = vim.lsp.start_client({ name = "merry", cmd = { vim.env.MERRY, "editor" }, root_dir = vim.fn.getcwd() })
  vim.lsp.buf_attach_client(0, client)
  local function wait(what) return vim.wait(15000, what, 20) end
  wait(function() return vim.lsp.buf_get_clients(0)[client] ~= nil and vim.lsp.get_client_by_id(client).initialized end)
  local lines = vim.api.nvim_buf_get_lines(0, 0, -1, false)
  for i, line in ipairs(lines) do
    if line:find("js/oarlock.min.js", 1, true) then
      vim.api.nvim_buf_set_lines(0, i - 1, i, false, {})
      break
    end
  end
  local finding
  wait(function()
    for _, d in ipairs(vim.diagnostic.get(0)) do
      if d.code == "need-absent" then finding = d end
    end
    return finding ~= nil
  end)
  say("found " .. (finding and finding.code or "nothing"))
  vim.api.nvim_win_set_cursor(0, { finding.lnum + 1, finding.col })
  local answers = vim.lsp.buf_request_sync(0, "textDocument/codeAction", vim.tbl_extend("force",
    vim.lsp.util.make_range_params(), { context = { diagnostics = {} } }), 15000)
  local repaired = false
  for _, answer in pairs(answers or {}) do
    for _, action in ipairs(answer.result or {}) do
      if action.edit and action.title:find("include oarlock", 1, true) and not repaired then
        vim.lsp.util.apply_workspace_edit(action.edit, vim.lsp.get_client_by_id(client).offset_encoding)
        repaired = true
      end
    end
  end
  say("repaired " .. tostring(repaired))
  wait(function() return #vim.diagnostic.get(0) == 0 end)
  say("left " .. #vim.diagnostic.get(0))
end)
if not ok then say("failed: " .. tostring(err)) end
vim.cmd("qa!")
