using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Furlough.Service.Storage.Migrations
{
    /// <inheritdoc />
    public partial class HistoryBySubject : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.CreateIndex(
                name: "IX_History_Subject",
                table: "History",
                column: "Subject");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropIndex(
                name: "IX_History_Subject",
                table: "History");
        }
    }
}
